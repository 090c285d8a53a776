#include "files/two_threads.h"

#include <atomic>
#include <future>

namespace bayswap {

void on_two_threads(std::size_t count, const std::function<void(std::size_t)>& work) {
  std::atomic<std::size_t> next{0};
  const auto take = [&] {
    for (std::size_t i = next++; i < count; i = next++) work(i);
  };
  if (count < 2) {
    take();
    return;
  }
  std::future<void> other = std::async(std::launch::async, take);
  take();
  other.get();
}

}  // namespace bayswap
