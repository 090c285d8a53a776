// Tags in round or square brackets that ROM sets put into names.
#pragma once

#include <string_view>

#include "bayswap/game.h"

namespace bayswap {

/// The region that a tag names, as in `Copper Tide (Europe)`; `unknown` without one.
[[nodiscard]] Region region_of_name(std::string_view name);

/// False when both names bear a region and the regions differ.
[[nodiscard]] bool regions_agree(std::string_view one, std::string_view other);

}  // namespace bayswap
