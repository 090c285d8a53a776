// One entry of pce backup memory as a file. docs/formats/pce.md
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class PceSingleLayout final : public Layout {
 public:
  PceSingleLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
