// saturn backup memory, inside the console or in a cartridge: saves that list their own blocks.
// docs/formats/saturn.md
#pragma once

#include "bayswap/card.h"

namespace bayswap {

class SaturnBramLayout final : public CardLayout {
 public:
  /// Doubled: the bytes stand at odd offsets, as the console's bus sees them.
  explicit SaturnBramLayout(bool doubled);
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;
  [[nodiscard]] bool is_own_form(ByteView file) const override;

 private:
  bool doubled_;
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
