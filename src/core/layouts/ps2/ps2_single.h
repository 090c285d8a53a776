// One save of a ps2 card outside of a card. docs/formats/ps2.md
#pragma once

#include "bayswap/folder.h"

namespace bayswap {

/// One file: the save's directory entry, `.` and `..`, then each file's entry and its data.
class Ps2SingleLayout final : public Layout {
 public:
  Ps2SingleLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  LayoutInfo info_;
};

/// The save's directory as plain files.
class Ps2FolderLayout final : public FolderLayout {
 public:
  Ps2FolderLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::string_view marker() const override { return "icon.sys"; }
  [[nodiscard]] std::optional<Match> recognise_folder(
      const std::string& path, const std::vector<Part>& files) const override;
  [[nodiscard]] Result<Save> read_folder(const std::string& path,
                                         std::vector<Part> files) const override;
  /// Folders of one card lie side by side under their own names.
  [[nodiscard]] std::optional<std::string> pattern_of(std::string_view relative,
                                                      const Save& save) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
