// What a card is called where each game has a card of its own.
#pragma once

#include <optional>
#include <string>

#include "moves/target.h"

namespace bayswap {

/// What a new card of the save's game is called, spelled like one that lies there: by its serial or
/// code, or by its title with the tags that others of its region have. `like`: what the other
/// card's name holds. Nothing when nothing tells.
[[nodiscard]] std::optional<std::string> new_card_name(const CarryContext& context,
                                                       const Source& source, const Fields& like);

}  // namespace bayswap
