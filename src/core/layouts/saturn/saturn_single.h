// One save of saturn backup memory as a file: its header of 30 bytes, then its data.
// docs/formats/saturn.md
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class SaturnSingleLayout final : public Layout {
 public:
  SaturnSingleLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
