// Saves whose folders are called as those of their ROMs: beside the ROMs, or in a tree of the same
// shape.
#pragma once

#include <set>
#include <string>
#include <tuple>
#include <vector>

#include "bayswap/game.h"

namespace bayswap {

/// Folders of a save and of its ROM, below the place; "" and "." are the place itself. A ROM that
/// lies elsewhere has its folder in full.
struct SaveAndRomFolder {
  std::string save;
  std::string rom;

  friend bool operator<(const SaveAndRomFolder& a, const SaveAndRomFolder& b) {
    return std::tie(a.save, a.rom) < std::tie(b.save, b.rom);
  }
};

/// A naming pattern of some saves, and where they lie.
struct PlacedPattern {
  std::string pattern;
  System system = System::snes;
  std::set<SaveAndRomFolder> folders;
};

/// Each pattern, with `{folder}` for folders that are called as those of the ROMs, where another
/// pattern differs from it in nothing else. What the ROMs' folders then have in common is the ROMs'
/// folder of the shelf.
[[nodiscard]] std::vector<std::string> with_rom_folders(const std::vector<PlacedPattern>& placed);

/// A pattern with the last folders of its ROMs as `{folder}`, in any reading, and the folder of
/// ROMs above them: what saves of one habit have in common, wherever their ROMs are sorted in.
struct FolderHabit {
  std::string pattern;
  std::string base;

  friend bool operator<(const FolderHabit& a, const FolderHabit& b) {
    return std::tie(a.pattern, a.base) < std::tie(b.pattern, b.base);
  }
};
[[nodiscard]] std::vector<FolderHabit> folder_habits(const PlacedPattern& placed);

/// The folder that all ROMs lie in or below.
[[nodiscard]] std::string common_rom_folder(const std::set<SaveAndRomFolder>& folders);

/// A pattern that says no more how the game's name is spelled: with `{title}` for `{stem}`, and
/// without changes of case.
[[nodiscard]] std::string any_reading(std::string pattern);

}  // namespace bayswap
