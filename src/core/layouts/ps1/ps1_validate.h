// The strict look at a ps1 card, apart from its reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

/// Frames 0, 16 to 35 and 63.
[[nodiscard]] Findings validate_ps1_header(ByteView card);
/// Everything.
[[nodiscard]] Findings validate_ps1(ByteView card);

}  // namespace bayswap
