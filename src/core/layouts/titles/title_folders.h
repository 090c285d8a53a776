// Saves below the hex id of their title: wii, 3ds and wiiu. docs/formats/titles.md
#pragma once

#include "bayswap/folder.h"

namespace bayswap {

/// `…/title/<type>/<low>/data`, or the SD form `private/wii/title/<code>` with one sealed file.
class WiiTitleLayout final : public FolderLayout {
 public:
  WiiTitleLayout();
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::string_view marker() const override { return "banner.bin"; }
  [[nodiscard]] std::string_view sealed_marker() const override { return "data.bin"; }
  [[nodiscard]] std::optional<FolderPlace> place_by_marker(std::string_view path,
                                                           ByteView beginning) const override;
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

/// `…/title/<high>/<low>/data/<8 digits>`, or the sealed files of the console's own card.
class N3dsTitleLayout final : public FolderLayout {
 public:
  N3dsTitleLayout();
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

/// `<high>/<low>/user/<account>`, and `<high>/<low>/user/common`.
class WiiuTitleLayout final : public FolderLayout {
 public:
  WiiuTitleLayout();
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

}  // namespace bayswap
