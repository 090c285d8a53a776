#pragma once

#include <cstdint>

namespace bayswap {

/// Nanoseconds since 1970-01-01 UTC.
[[nodiscard]] std::int64_t now_ns();

}  // namespace bayswap
