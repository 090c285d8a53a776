// One save of a ps1 card as a file. docs/formats/ps1.md
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

/// With its directory frame in front (`ps1-single`), or the blocks alone (`ps1-single-raw`).
class Ps1SingleLayout final : public Layout {
 public:
  explicit Ps1SingleLayout(bool with_frame);
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  bool with_frame_;
  std::size_t frame_size_;
  LayoutInfo info_;
};

}  // namespace bayswap
