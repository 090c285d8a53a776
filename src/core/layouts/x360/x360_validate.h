// The strict look at an x360 package.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"

namespace bayswap {

[[nodiscard]] Findings validate_x360(ByteView package);

}  // namespace bayswap
