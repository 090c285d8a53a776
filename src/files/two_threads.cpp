#include "files/two_threads.h"

#include <pthread.h>
#include <sched.h>

#include <atomic>

namespace bayswap {

void begin_beside_me(std::thread& made) {
  const pthread_t thread = made.native_handle();
  const int own = ::sched_getcpu();
  cpu_set_t all;
  if (own < 0 || own >= CPU_SETSIZE || ::pthread_getaffinity_np(thread, sizeof all, &all) != 0)
    return;
  cpu_set_t others = all;
  CPU_CLR(own, &others);
  if (CPU_COUNT(&others) == 0 || CPU_COUNT(&others) == CPU_COUNT(&all)) return;
  // It stays where this puts it until the system sees a reason to move it.
  if (::pthread_setaffinity_np(thread, sizeof others, &others) == 0)
    (void)::pthread_setaffinity_np(thread, sizeof all, &all);
}

void on_two_threads(std::size_t count, const std::function<void(std::size_t)>& work) {
  std::atomic<std::size_t> next{0};
  const auto take = [&] {
    for (std::size_t i = next++; i < count; i = next++) work(i);
  };
  if (count < 2) {
    take();
    return;
  }
  Meanwhile<void> other(take);
  take();
  other.get();
}

}  // namespace bayswap
