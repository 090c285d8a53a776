// gb battery images that carry the cartridge's clock behind the chip.
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class GbClockLayout final : public Layout {
 public:
  /// `width`: 44 or 48 bytes of clock.
  explicit GbClockLayout(std::size_t width);
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  std::size_t width_;
  LayoutInfo info_;
};

}  // namespace bayswap
