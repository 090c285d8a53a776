// The strict look at dc cards, apart from their reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

[[nodiscard]] Findings validate_dc(ByteView card);
/// The root block and the table's own entries alone. The card must be whole.
[[nodiscard]] Findings validate_dc_system(ByteView card);

}  // namespace bayswap
