// Named copies: places where each title has a folder of its own, and in it several copies of its
// save under names that the user chose, as save managers of consoles keep them.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/catalog.h"
#include "places/walk.h"

namespace bayswap {

/// What a title's folder says by its name: a title id (all 16 digits, its low half, or `0x` and the
/// five digits of a 3ds title), a serial, a title, or two of these. `system`: where the id does not
/// tell.
struct TitleFolderName {
  std::optional<System> system;
  Game game;
};
[[nodiscard]] TitleFolderName read_title_folder_name(const std::string& name,
                                                     std::optional<System> system,
                                                     const Catalog& catalog);

/// Whether a folder of this name is that title's.
[[nodiscard]] bool is_folder_of_title(const std::string& name, System system, const Game& game,
                                      const Catalog& catalog);

/// The shelves of copies in a place, and the titles' folders on them. `taken`: folders that are
/// known to be something else. `said`: the system that the user says, where names do not tell.
struct CopyShelves {
  std::vector<Shelf> shelves;
  std::vector<Path> titles;
};
[[nodiscard]] CopyShelves find_copy_shelves(const Path& place, const std::vector<WalkedFile>& files,
                                            const Catalog& catalog,
                                            const std::function<bool(const Path&)>& taken,
                                            std::optional<System> said);

/// Whether a shelf holds copies.
[[nodiscard]] bool holds_copies(const Shelf& shelf);

}  // namespace bayswap
