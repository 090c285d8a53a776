// gc memory cards: directory and allocation map, each with a spare, before blocks of 8 KiB.
// docs/formats/gc.md
#pragma once

#include "bayswap/card.h"

namespace bayswap {

class GcCardLayout final : public CardLayout {
 public:
  GcCardLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<Bytes> format_like(ByteView damaged, std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;
  [[nodiscard]] std::string identity(const Save& save) const override;

 private:
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
