// Parts and cards as look() reports them.
#pragma once

#include "bayswap/look.h"

namespace bayswap {

[[nodiscard]] PartInfo part_info(const Part& part, bool hashes);

/// Adds what is on a card to an item.
void add_card(const Card& card, bool hashes, Item& item);

}  // namespace bayswap
