// The strict look at saturn backup memory, apart from its reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

/// The memory's own bytes, not doubled.
[[nodiscard]] Findings validate_saturn(ByteView memory);
/// The text in the first block alone.
[[nodiscard]] Findings validate_saturn_mark(ByteView memory);

}  // namespace bayswap
