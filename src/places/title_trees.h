// Title trees: places where each title has a folder of its own under any name, and in it its save:
// under the account that plays, in slots, as copies under names that the user chose, or by several
// of these. Save managers of consoles keep them so.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/catalog.h"
#include "bayswap/naming.h"
#include "bayswap/storage.h"
#include "places/walk.h"

namespace bayswap {

/// Files of a title that all its accounts share lie in a folder of this name beside theirs.
inline constexpr std::string_view kSharedFolder = "common";

/// Whether a folder's name is a hash, which says nothing of a title: 16 hex digits or more, and no
/// title id.
[[nodiscard]] bool is_hash_name(const std::string& name);

/// What a title's folder says by its name: a title id (all 16 digits, its low half, or `0x` and the
/// five digits of a 3ds title), a serial, a code, a title, or two of these. `system`: where the id
/// does not tell.
struct TitleFolderName {
  std::optional<System> system;
  Game game;

  /// Whether an id, or a title that the catalog has, says which title it is.
  [[nodiscard]] bool is_told(const Catalog& catalog) const;
};
[[nodiscard]] TitleFolderName read_title_folder_name(const std::string& name,
                                                     std::optional<System> system,
                                                     const Catalog& catalog);

/// The title that the last names of an absolute path tell, the nearest of them, and its folder.
struct TitleInPath {
  TitleFolderName name;
  Path folder;
};
[[nodiscard]] std::optional<TitleInPath> title_in_path(const Path& path,
                                                       std::optional<System> system,
                                                       const Catalog& catalog);

/// Whether a name read so is that title's.
[[nodiscard]] bool is_same_title(const TitleFolderName& name, System system, const Game& game,
                                 const Catalog& catalog);

/// The shelves of title trees in a place, and the titles' folders on them. `taken`: folders that
/// are known to be something else. `said`: the system that the user says, where names do not tell.
struct TitleTrees {
  std::vector<Shelf> shelves;
  std::vector<Path> titles;
};
[[nodiscard]] TitleTrees find_title_trees(const Path& place, const std::vector<WalkedFile>& files,
                                          const Catalog& catalog,
                                          const std::function<bool(const Path&)>& taken,
                                          std::optional<System> said);

/// The tree that a folder lies in, or that it is itself, as a bay that begins at the title's
/// folder. Nothing when its path names no title, or the title has no tree.
[[nodiscard]] std::optional<Bay> tree_around(Storage& storage, const Path& folder,
                                             const Catalog& catalog);

/// Whether a shelf is a title tree.
[[nodiscard]] bool is_title_tree(const Shelf& shelf);
/// Whether it keeps several copies of each save.
[[nodiscard]] bool holds_copies(const Shelf& shelf);

/// The title and the account of a save on such a shelf. `fields`: what the pattern reads from its
/// path.
[[nodiscard]] TitleFolderName title_on_tree(const Bay& bay, const Shelf& shelf,
                                            const Fields& fields, const Catalog& catalog);

}  // namespace bayswap
