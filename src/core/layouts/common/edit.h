// What changing the set of saves is for every card whose saves take whole blocks.
#pragma once

#include <optional>
#include <vector>

#include "bayswap/card.h"

namespace bayswap {

/// How one family changes the bytes of its cards.
class CardEditor {
 public:
  virtual ~CardEditor() = default;
  /// Why the save cannot lie on such a card at all.
  [[nodiscard]] virtual std::optional<Error> unfit(const Save& save, const Card& card) const = 0;
  [[nodiscard]] virtual std::uint32_t blocks_for(const Save& save, const Card& card) const = 0;
  /// The blocks that a new save takes. There are enough free ones, but they may lie wrong.
  [[nodiscard]] virtual Result<std::vector<std::uint32_t>> choose(const Save& save,
                                                                  const Card& card,
                                                                  std::uint32_t count) const;
  virtual void drop(Bytes& bytes, const std::vector<const CardSave*>& saves) const = 0;
  /// Errors: `no-room` when the directory is full.
  [[nodiscard]] virtual Result<void> put(Bytes& bytes, const Save& save,
                                         const std::vector<std::uint32_t>& blocks) const = 0;
  /// Makes sure that a deleted save some of whose blocks were used again is not found any more.
  virtual void forget(Bytes& /*bytes*/, const CardSave& /*deleted*/) const {}
};

/// Drops, then puts one by one. Errors: those of CardLayout::change().
[[nodiscard]] Result<ChangedCard> change_saves(const CardLayout& layout, const CardEditor& editor,
                                               Bytes bytes, const CardChange& change);

}  // namespace bayswap
