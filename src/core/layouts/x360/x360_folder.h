// The open files of an x360 save, as programs keep them that need no package.
// docs/formats/x360.md
#pragma once

#include "bayswap/folder.h"

namespace bayswap {

/// `<profile>/<title>/00000001/<name>`: 16, 8 and 8 hex digits, and a folder of files.
class X360FolderLayout final : public FolderLayout {
 public:
  X360FolderLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<FolderPlace> place(std::string_view path) const override;
  [[nodiscard]] std::optional<Match> recognise_folder(
      const std::string& path, const std::vector<Part>& files) const override;
  [[nodiscard]] Result<Save> read_folder(const std::string& path,
                                         std::vector<Part> files) const override;
  [[nodiscard]] std::optional<std::string> pattern_of(std::string_view relative,
                                                      const Save& save) const override;

 private:
  LayoutInfo info_;
};

/// The pattern of a content path: `profile`, `title_id` and the name as fields. It may begin
/// anywhere above the name.
[[nodiscard]] std::string content_pattern(std::string_view relative, const Game& game);

}  // namespace bayswap
