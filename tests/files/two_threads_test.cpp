#include "files/two_threads.h"

#include <gtest/gtest.h>
#include <pthread.h>
#include <sched.h>

#include <atomic>
#include <memory>
#include <stdexcept>
#include <vector>

namespace bayswap {
namespace {

TEST(TwoThreads, DoEachPieceOfWorkOnce) {
  for (const std::size_t count : {0U, 1U, 2U, 1000U}) {
    std::vector<std::atomic<int>> done(count);
    on_two_threads(count, [&](std::size_t i) { ++done[i]; });
    for (const auto& times : done) EXPECT_EQ(times, 1);
  }
}

TEST(TwoThreads, PassOnWhatIsThrown) {
  for (const std::size_t bad : {0U, 1U, 999U})
    EXPECT_THROW(on_two_threads(1000,
                                [&](std::size_t i) {
                                  if (i == bad) throw std::runtime_error("work");
                                }),
                 std::runtime_error);
}

TEST(TwoThreads, MayRunOnAllProcessorsOfTheirMaker) {
  cpu_set_t own;
  ASSERT_EQ(::pthread_getaffinity_np(::pthread_self(), sizeof own, &own), 0);
  std::atomic<bool> go = false;
  cpu_set_t others;
  Meanwhile<int> other([&] {
    go.wait(false);
    return ::pthread_getaffinity_np(::pthread_self(), sizeof others, &others);
  });
  go = true;
  go.notify_all();
  EXPECT_EQ(other.get(), 0);
  EXPECT_TRUE(CPU_EQUAL(&own, &others));
}

TEST(TwoThreads, MeanwhileGivesTheResultOrThrows) {
  Meanwhile<std::unique_ptr<int>> number([] { return std::make_unique<int>(7); });
  EXPECT_EQ(*number.get(), 7);
  Meanwhile<int> failing([]() -> int { throw std::runtime_error("work"); });
  EXPECT_THROW(failing.get(), std::runtime_error);
  Meanwhile<int> several([] { return 3; });
  const auto first = several.shared();
  const auto second = first;
  EXPECT_EQ(first.get() + second.get(), 6);
}

TEST(TwoThreads, MeanwhileIsDoneWhenItGoes) {
  std::atomic<bool> done = false;
  {
    Meanwhile<void> unasked([&] { done = true; });
  }
  EXPECT_TRUE(done);
}

}  // namespace
}  // namespace bayswap
