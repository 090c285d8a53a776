#include "reading/card_items.h"

#include <algorithm>

#include "core/bytes/fill.h"
#include "core/bytes/hash.h"

namespace bayswap {
namespace {

std::vector<unsigned> fill_strip(ByteView data) {
  std::vector<unsigned> strip;
  if (data.empty()) return strip;
  const std::byte erased = data.back() == kErasedOnes ? kErasedOnes : kErasedZero;
  for (std::size_t i = 0; i < kStripCells; ++i) {
    const std::size_t from = data.size() * i / kStripCells;
    const std::size_t to = std::max(from + 1, data.size() * (i + 1) / kStripCells);
    const ByteView cell = data.subspan(from, std::min(to, data.size()) - from);
    const auto used =
        std::count_if(cell.begin(), cell.end(), [&](std::byte b) { return b != erased; });
    if (is_erased(cell)) {
      strip.push_back(0);
      continue;
    }
    const auto percent = static_cast<std::size_t>(used) * 100 / cell.size();
    strip.push_back(used > 0 ? std::max(1U, static_cast<unsigned>(percent)) : 0U);
  }
  return strip;
}

SaveInfo save_info(const CardSave& on_card, Detail detail) {
  const Save& save = on_card.save;
  SaveInfo info;
  info.name = save.name;
  info.comment = save.comment;
  info.blocks = on_card.block_count;
  info.game = save.game;
  info.modified = save.modified;
  info.findings = on_card.findings;
  for (const Part& part : save.parts) {
    info.size += part.data.size();
    if (!part.name.ends_with('/')) info.parts.push_back(part_info(part, detail));
  }
  return info;
}

}  // namespace

PartInfo part_info(const Part& part, Detail detail) {
  PartInfo info{part.name, part.size(), part.blank, {}, {}};
  if (part.outside != 0) return info;
  if (detail.hashes) info.sha256 = sha256_hex(part.data);
  if (detail.strips && !part.blank && part.name != "clock") info.filled = fill_strip(part.data);
  return info;
}

void add_card(const Card& card, Detail detail, Item& item) {
  item.card = CardTotals{card.blocks_total, card.blocks_free};
  if (card.game.known()) item.game = card.game;
  if (!card.comment.empty()) item.comment = card.comment;
  item.package = card.game.known();
  for (const CardSave& on_card : card.saves) {
    item.saves.push_back(save_info(on_card, detail));
    item.findings.insert(item.findings.end(), on_card.findings.begin(), on_card.findings.end());
  }
  for (const CardSave& gone : card.deleted) item.deleted.push_back(save_info(gone, detail));
  if (!item.package) item.blank = card.saves.empty();
  item.findings.insert(item.findings.end(), card.findings.begin(), card.findings.end());
}

Item item_of(const ShownCard& shown, bool hashes) {
  Item item;
  item.path = shown.name;
  item.size = shown.size;
  item.system = shown.layout->info().system;
  item.kind = shown.layout->info().kind;
  item.layout = shown.layout->info().id;
  item.confidence = shown.confidence;
  add_card(shown.card, {hashes, !hashes}, item);
  return item;
}

}  // namespace bayswap
