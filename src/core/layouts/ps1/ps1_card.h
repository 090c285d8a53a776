// ps1 memory cards: 15 blocks of 8 KiB behind a block of directory frames. docs/formats/ps1.md
#pragma once

#include "bayswap/card.h"

namespace bayswap {

class Ps1CardLayout final : public CardLayout {
 public:
  Ps1CardLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;

 private:
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
