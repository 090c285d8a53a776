// The container that keeps every save chip of an n64 game, and its four controller paks, in a row.
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class N64CombinedLayout final : public Layout {
 public:
  /// `word_reversed`: SRAM and flash areas have every 32-bit word reversed.
  explicit N64CombinedLayout(bool word_reversed);
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  bool word_reversed_;
  LayoutInfo info_;
};

}  // namespace bayswap
