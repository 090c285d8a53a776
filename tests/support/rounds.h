// How much the random tests do.
#pragma once

#include <algorithm>
#include <cstdlib>

namespace bayswap::test {

/// `./dev test --long`: everything, not only the part that fits into every build.
inline bool long_run() {
  return std::getenv("BAYSWAP_LONG") != nullptr;
}

/// How often a random test runs: as often as BAYSWAP_ROUNDS says, else `full` times in a long run
/// and `full / part` times in others. Slow tests pass a larger `part`.
inline int rounds(int full, int part = 4) {
  if (const char* wanted = std::getenv("BAYSWAP_ROUNDS")) return std::atoi(wanted);
  return long_run() ? full : std::max(1, full / part);
}

/// A test that tries every place of many tries every one in a long run, and one of `few` in others.
inline std::size_t step_of(std::size_t few) {
  return long_run() ? 1 : few;
}

}  // namespace bayswap::test
