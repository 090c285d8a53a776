// psp saves: a folder with PARAM.SFO, pictures and data. docs/formats/psp.md
#pragma once

#include "bayswap/folder.h"

namespace bayswap {

class PspFolderLayout final : public FolderLayout {
 public:
  PspFolderLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::string_view marker() const override { return "PARAM.SFO"; }
  [[nodiscard]] std::optional<Match> recognise_folder(
      const std::string& path, const std::vector<Part>& files) const override;
  [[nodiscard]] Result<Save> read_folder(const std::string& path,
                                         std::vector<Part> files) const override;
  [[nodiscard]] std::vector<std::pair<std::string, std::string>> details(
      const Save& save) const override;
  [[nodiscard]] std::optional<std::string> pattern_of(std::string_view relative,
                                                      const Save& save) const override;

 private:
  LayoutInfo info_;
};

}  // namespace bayswap
