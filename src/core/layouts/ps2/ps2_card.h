// ps2 memory cards: a file system of 1 KiB clusters, with or without the spare bytes of its pages.
// docs/formats/ps2.md
#pragma once

#include "bayswap/card.h"

namespace bayswap {

class Ps2CardLayout final : public CardLayout {
 public:
  /// `with_spare`: 16 bytes with an error-correcting code stand behind every page of 512.
  explicit Ps2CardLayout(bool with_spare);
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Result<Card> list(ByteView file,
                                  const std::vector<std::string>& with_data) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] std::unique_ptr<CardReading> reading(ByteView file) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;
  [[nodiscard]] bool is_own_form(ByteView file) const override;

 private:
  bool with_spare_;
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
