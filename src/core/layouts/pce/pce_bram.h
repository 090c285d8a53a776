// pce backup memory: 2 KiB in which entries lie one behind the other. docs/formats/pce.md
#pragma once

#include "bayswap/card.h"

namespace bayswap {

/// Its blocks are single bytes, as the console counts room.
class PceBramLayout final : public CardLayout {
 public:
  PceBramLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;
  /// Its two id bytes and its name.
  [[nodiscard]] std::string identity(const Save& save) const override;

 private:
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
