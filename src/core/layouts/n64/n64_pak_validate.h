// The strict look at controller paks, apart from their reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

[[nodiscard]] Findings validate_pak(ByteView pak);
/// The id blocks and index tables alone. The pak must be whole.
[[nodiscard]] Findings validate_pak_system(ByteView pak);

}  // namespace bayswap
