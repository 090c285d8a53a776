// Whose block is where on a card.
#pragma once

#include "bayswap/card.h"

namespace bayswap {

/// Marks the blocks of saves and deleted saves in a map that has its size, and counts what is free.
/// Blocks beyond the map, which no console fills, are left out.
void draw_saves(Card& card);

/// Blocks for a new save: those that hold nothing first, then those of deleted saves. Fewer than
/// asked for when the card is full.
[[nodiscard]] std::vector<std::uint32_t> choose_blocks(const Card& card, std::size_t count);

}  // namespace bayswap
