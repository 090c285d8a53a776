// The strict look at pce backup memory, apart from its reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

[[nodiscard]] Findings validate_pce(ByteView memory);
/// The first 16 bytes alone. The memory must be whole.
[[nodiscard]] Findings validate_pce_header(ByteView memory);

}  // namespace bayswap
