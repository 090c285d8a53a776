// x360 packages: one title's files for one profile, in one file with hashes over all of it.
#pragma once

#include "bayswap/card.h"

namespace bayswap {

/// On the card interface, each file inside is a save. read() and write() take the package as a
/// whole: one save with one part, `package`.
class X360PackageLayout final : public CardLayout {
 public:
  X360PackageLayout();
  const LayoutInfo& info() const override { return info_; }
  const CardInfo& card_info() const override { return card_info_; }
  std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  Result<Card> open(ByteView file) const override;
  Result<Card> list(ByteView file, const std::vector<std::string>& with_data) const override;
  Findings validate(ByteView file) const override;
  Result<Bytes> format(std::uint32_t blocks) const override;
  Result<Bytes> format_like(ByteView damaged, std::uint32_t blocks) const override;
  Result<ChangedCard> change(ByteView file, const CardChange& change) const override;
  Result<Salvage> salvage(ByteView file) const override;
  std::string identity(const Save& save) const override;
  std::optional<Finding> broken_seal(ByteView file) const override;
  Result<Content> read(ByteView file, const Hints& hints) const override;
  Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
  CardInfo card_info_;
};

}  // namespace bayswap
