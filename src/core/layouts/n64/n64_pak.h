// n64 controller paks: 123 pages of 256 bytes behind an index table and its copy, 16 notes.
// docs/formats/n64.md
#pragma once

#include "bayswap/card.h"
#include "core/layouts/cartridge/chip_layout.h"

namespace bayswap {

/// A pak is a card, and it is also a part of a cartridge's save (`pak1` … `pak4` of a container):
/// as a Layout it reads and writes that part whole.
class N64PakLayout final : public CardLayout {
 public:
  N64PakLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] const CardInfo& card_info() const override { return card_info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;
  [[nodiscard]] Result<Card> open(ByteView file) const override;
  [[nodiscard]] Findings validate(ByteView file) const override;
  [[nodiscard]] Result<Bytes> format(std::uint32_t blocks) const override;
  [[nodiscard]] Result<Bytes> format_like(ByteView damaged, std::uint32_t blocks) const override;
  [[nodiscard]] Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  [[nodiscard]] Result<Salvage> salvage(ByteView file) const override;
  [[nodiscard]] std::string identity(const Save& save) const override;
  [[nodiscard]] std::string numbered(const Save& save, int number) const override;

 private:
  ChipLayout chip_;
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
