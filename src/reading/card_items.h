// Parts and cards as look() reports them.
#pragma once

#include "bayswap/look.h"

namespace bayswap {

/// How much is worked out: hashes for scripts, strips for people.
struct Detail {
  bool hashes = false;
  bool strips = false;
};

[[nodiscard]] PartInfo part_info(const Part& part, Detail detail);

/// Adds what is on a card to an item.
void add_card(const Card& card, Detail detail, Item& item);

}  // namespace bayswap
