// Tags in round or square brackets that ROM sets put into names.
#pragma once

#include <string>
#include <string_view>

#include "bayswap/game.h"

namespace bayswap {

/// A ROM's or dump's name without the tags behind it: `Copper Tide` for `Copper Tide (Europe) [b]`.
[[nodiscard]] std::string untagged_name(const std::string& name);

/// The region that a tag names, as in `Copper Tide (Europe)`; `unknown` without one.
[[nodiscard]] Region region_of_name(std::string_view name);

/// The region that a folder or the file in a path is called after as a whole, as in
/// `cards/Europe/left.card` or `left.usa.card`; `unknown` when there is none, or several.
[[nodiscard]] Region region_of_path(std::string_view path);

/// False when both names bear a region and the regions differ.
[[nodiscard]] bool regions_agree(std::string_view one, std::string_view other);

}  // namespace bayswap
