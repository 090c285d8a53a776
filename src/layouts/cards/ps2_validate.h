// The strict look at a ps2 card, apart from its reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

[[nodiscard]] Findings validate_ps2(ByteView file);

}  // namespace bayswap
