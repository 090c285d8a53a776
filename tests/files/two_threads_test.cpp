#include "files/two_threads.h"

#include <gtest/gtest.h>

#include <atomic>
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

}  // namespace
}  // namespace bayswap
