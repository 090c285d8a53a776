#include "core/layouts/common/edit.h"

#include <algorithm>

#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"

namespace bayswap {
namespace {

Result<void> put_one(const CardLayout& layout, const CardEditor& editor, const Save& save,
                     ChangedCard& changed) {
  const auto now = layout.open(changed.bytes);
  if (!now) return tl::unexpected(now.error());
  if (auto wrong = editor.unfit(save, *now)) return tl::unexpected(*wrong);
  const std::string identity = layout.identity(save);
  if (std::ranges::any_of(now->saves, [&](const CardSave& on_card) {
        return layout.identity(on_card.save) == identity;
      }))
    return tl::unexpected(name_taken(save));
  const std::uint32_t count = editor.blocks_for(save, *now);
  if (count > now->blocks_free) return tl::unexpected(no_room(save, count, *now));
  const auto blocks = editor.choose(save, *now, count);
  if (!blocks) return tl::unexpected(blocks.error());
  for (const CardSave& deleted : now->deleted)
    if (std::ranges::any_of(deleted.blocks, [&](std::uint32_t block) {
          return std::ranges::find(*blocks, block) != blocks->end();
        })) {
      editor.forget(changed.bytes, deleted);
      changed.notes.push_back(no_longer_recoverable(deleted.save));
    }
  return editor.put(changed.bytes, save, *blocks);
}

}  // namespace

Result<std::vector<std::uint32_t>> CardEditor::choose(const Save& /*save*/, const Card& card,
                                                      std::uint32_t count) const {
  return choose_blocks(card, count);
}

Result<ChangedCard> change_saves(const CardLayout& layout, const CardEditor& editor, Bytes bytes,
                                 const CardChange& change) {
  ChangedCard changed{std::move(bytes), {}};
  if (!change.drop.empty()) {
    const auto card = layout.open(changed.bytes);
    if (!card) return tl::unexpected(card.error());
    if (auto wrong = no_such_place(change, card->saves.size())) return tl::unexpected(*wrong);
    std::vector<const CardSave*> dropped;
    for (const std::size_t place : change.drop) dropped.push_back(&card->saves.at(place));
    editor.drop(changed.bytes, dropped);
  }
  for (const Save& save : change.put)
    if (auto put = put_one(layout, editor, save, changed); !put) return tl::unexpected(put.error());
  return changed;
}

}  // namespace bayswap
