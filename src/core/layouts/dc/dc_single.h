// One save of a dc card as a file: its blocks alone, its directory entry in a file beside it.
// docs/formats/dc.md
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class DcSingleLayout final : public Layout {
 public:
  DcSingleLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
