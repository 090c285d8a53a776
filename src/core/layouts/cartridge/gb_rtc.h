// gb battery images with the cartridge's clock in a file of its own beside them.
#pragma once

#include "bayswap/layout.h"
#include "core/layouts/cartridge/chip_layout.h"

namespace bayswap {

/// The chip in one file, and beside it, under the same name with `.rtc`, the clock: 48 or 44 bytes
/// as behind the chip, or 8 bytes, the Unix time at which the clock would have read zero.
class GbRtcLayout final : public Layout {
 public:
  GbRtcLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  ChipLayout chip_;
  LayoutInfo info_;
};

}  // namespace bayswap
