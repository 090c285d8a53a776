#include "core/layouts/common/card_map.h"

namespace bayswap {
namespace {

void mark(Card& card, const std::vector<CardSave>& saves, BlockState state) {
  for (std::size_t i = 0; i < saves.size(); ++i)
    for (const std::uint32_t block : saves[i].blocks)
      if (block < card.map.size()) card.map[block] = {state, static_cast<std::uint16_t>(i)};
}

}  // namespace

void draw_saves(Card& card) {
  mark(card, card.deleted, BlockState::deleted);
  mark(card, card.saves, BlockState::used);
  for (const BlockUse& use : card.map)
    if (use.state == BlockState::free || use.state == BlockState::deleted) ++card.blocks_free;
}

std::vector<std::uint32_t> choose_blocks(const Card& card, std::size_t count) {
  std::vector<std::uint32_t> chosen;
  for (const BlockState wanted : {BlockState::free, BlockState::deleted})
    for (std::uint32_t block = 0; block < card.map.size() && chosen.size() < count; ++block)
      if (card.map[block].state == wanted) chosen.push_back(block);
  return chosen;
}

}  // namespace bayswap
