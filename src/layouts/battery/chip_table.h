// Every layout that holds one chip.
#pragma once

#include <vector>

#include "layouts/battery/chip_layout.h"

namespace bayswap {

[[nodiscard]] const std::vector<ChipSpec>& chip_table();

}  // namespace bayswap
