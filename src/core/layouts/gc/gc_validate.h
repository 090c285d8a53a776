// The strict look at a gc card, apart from its reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

/// Header, directories and maps by their checks and counts. The card must be whole.
[[nodiscard]] Findings validate_gc_system(ByteView card);
/// Everything.
[[nodiscard]] Findings validate_gc(ByteView card);

}  // namespace bayswap
