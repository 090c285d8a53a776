// Signs that a chip's bytes are not what the game left there.
#pragma once

#include <optional>

#include "bayswap/finding.h"
#include "bayswap/save.h"

namespace bayswap {

/// The same few bytes (at most 64) over and over: what memory shows when its battery was dead.
[[nodiscard]] bool has_short_period(ByteView data);

/// A run of erased bytes between dense data: a write or a dump that was cut.
[[nodiscard]] std::optional<Finding> judge_half_written(const Part& part);

}  // namespace bayswap
