// A card's save where no card lies: a file of its own, or a new card.
#pragma once

#include <vector>

#include "moves/target.h"

namespace bayswap {

/// Of several shelves the one that has the file already, else the one of the save's region. Checks
/// and errors as Target::place().
[[nodiscard]] Result<std::optional<Placement>> place_single_card_save(
    const CarryContext& context, const Source& source, const std::vector<const Shelf*>& shelves,
    const MoveReport& line, Checks& checks);

}  // namespace bayswap
