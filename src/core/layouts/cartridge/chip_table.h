// Every layout that holds one chip.
#pragma once

#include <vector>

#include "core/layouts/cartridge/chip_layout.h"

namespace bayswap {

[[nodiscard]] const std::vector<ChipSpec>& chip_table();

}  // namespace bayswap
