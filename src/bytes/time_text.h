// Times as people and tools write them.
#pragma once

#include <cstdint>
#include <string>

namespace bayswap {

/// `2026-01-31 12:00:00`, UTC, from nanoseconds since 1970.
[[nodiscard]] std::string utc_text(std::int64_t ns);

}  // namespace bayswap
