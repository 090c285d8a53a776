// Saves that are folders of files under a title: hand-held and newer consoles.
//
// Library bayswap_core. Folder layouts are immutable and may be used from several threads.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "bayswap/layout.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// What the path of a folder says about the save in it.
struct FolderPlace {
  Game game;            ///< title id, code, region, account
  bool sealed = false;  ///< encrypted for its console: moves unopened, and only as such
  bool shared = false;  ///< files of a title that all accounts share
};

/// A layout that keeps a save as a folder of plain files. Its bytes are the parts' own.
class FolderLayout : public Layout {
 public:
  /// A file that such folders have, and others hardly ever; empty when their path tells.
  [[nodiscard]] virtual std::string_view marker() const { return {}; }
  /// A file that names its title in itself, so that the folder may lie anywhere; empty for none.
  [[nodiscard]] virtual std::string_view sealed_marker() const { return {}; }
  /// What the path and the first 64 KiB of sealed_marker() tell; nothing when that is not such a
  /// file.
  [[nodiscard]] virtual std::optional<FolderPlace> place_by_marker(std::string_view /*path*/,
                                                                   ByteView /*beginning*/) const {
    return std::nullopt;
  }
  /// What an absolute path tells; nothing unless it ends as this layout's folders do.
  [[nodiscard]] virtual std::optional<FolderPlace> place(std::string_view path) const;
  /// How well files of a folder (relative paths and contents) fit.
  [[nodiscard]] virtual std::optional<Match> recognise_folder(
      const std::string& path, const std::vector<Part>& files) const = 0;
  /// A save from the files of a folder. Errors: `no-match`, `damaged`.
  [[nodiscard]] virtual Result<Save> read_folder(const std::string& path,
                                                 std::vector<Part> files) const = 0;
  /// The files of the folder, relative paths and contents. Names ending in `/` are empty folders.
  [[nodiscard]] virtual Result<std::vector<Part>> write_folder(const Save& save) const;
  /// What the save's own files say about it, as names and values in their order.
  [[nodiscard]] virtual std::vector<std::pair<std::string, std::string>> details(
      const Save& save) const;
  /// The naming pattern that such a folder's relative path follows; nothing when it says too
  /// little.
  [[nodiscard]] virtual std::optional<std::string> pattern_of(std::string_view relative,
                                                              const Save& save) const;

  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;
};

/// Null when the layout is not a folder.
[[nodiscard]] const FolderLayout* as_folder(const Layout* layout);

/// A title id in any of its spellings, as 16 lower-case hex digits: upper or lower case, whole, in
/// two halves with `/` or `-` between them. Eight digits are the low half of `high`. Four letters
/// or digits are the low half in ASCII. Nothing when it is none.
[[nodiscard]] std::optional<std::string> parse_title_id(std::string_view text,
                                                        std::string_view high = {});

/// The four letters that the low half of a title id spells; empty when they are none.
[[nodiscard]] std::string code_of_title(std::string_view title_id);

/// How much of one folder's files another one has: by name, and by name and size.
struct Likeness {
  std::size_t names = 0;  ///< files of the first whose names the second has
  std::size_t sizes = 0;  ///< those of them that have the same size there
  std::size_t of = 0;     ///< files of both together, each name once
};
[[nodiscard]] Likeness likeness_of(const std::vector<Part>& a, const std::vector<Part>& b);
/// Enough to take one for the other's older version: nearly all names.
[[nodiscard]] bool is_alike(const Likeness& likeness);

}  // namespace bayswap

#pragma GCC visibility pop
