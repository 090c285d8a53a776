// One save of a gc card as a file: its directory entry, then its blocks. docs/formats/gc.md
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class GcSingleLayout final : public Layout {
 public:
  GcSingleLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
