// Times as people and tools write them.
#pragma once

#include <cstdint>
#include <string>

#include "bayswap/save.h"

namespace bayswap {

/// `2026-01-31 12:00:00`, UTC. Zeros for times outside the years 0 to 9999, which only
/// damaged files bear.
[[nodiscard]] std::string utc_text(Time time);
/// The same from nanoseconds since 1970.
[[nodiscard]] std::string utc_text(std::int64_t ns);

/// `2026-01-31 120000`, UTC: no file system minds it.
[[nodiscard]] std::string file_time(std::int64_t ns);

/// `2026-01-31T12:00:00Z`.
[[nodiscard]] std::string iso_time(Time time);
[[nodiscard]] std::string iso_time(std::int64_t ns);

}  // namespace bayswap
