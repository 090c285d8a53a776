// One note of a controller pak as a file: its entry, then its pages. docs/formats/n64.md
#pragma once

#include "bayswap/layout.h"

namespace bayswap {

class N64PakNoteLayout final : public Layout {
 public:
  N64PakNoteLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
