// dc memory cards: 200 blocks of 512 bytes, an allocation table and a directory behind them.
// docs/formats/dc.md
#pragma once

#include "bayswap/card.h"

namespace bayswap {

class DcCardLayout final : public CardLayout {
 public:
  DcCardLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<Bytes> format_like(ByteView damaged, std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;

 private:
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
