// What makes a file a save. Content speaks, and so do the surroundings: the ROM beside it, the
// shelf that it lies on, the catalog, its neighbours. A size alone does not.
#pragma once

#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/layout.h"
#include "places/rom_index.h"
#include "places/walk.h"

namespace bayswap {

/// What speaks for a file being a save, the weakest first.
enum class Evidence {
  none,        ///< no layout fits it
  size,        ///< its size is that of a chip, and nothing else
  extension,   ///< besides, it is called as saves usually are
  neighbours,  ///< files called alike beside it are saves of games whose ROMs are there
  game,        ///< a ROM or the catalog's game bears its name
  shelf,       ///< it lies on a shelf of a known bay
  content,     ///< marks and checks of the layout hold
  said,        ///< the user says so
};

/// Whether that is enough to call a file a save, found in a folder among others.
[[nodiscard]] inline bool is_enough(Evidence evidence) {
  return evidence > Evidence::extension;
}

/// The extension with its dot, in small letters; empty where there is none.
[[nodiscard]] std::string small_extension(std::string_view path);

/// An extension that files of all kinds of saves have, whatever the program.
[[nodiscard]] bool has_save_extension(std::string_view file_name);

/// What the other files of a folder tell about one of them.
class Neighbours {
 public:
  Neighbours() = default;
  /// Of all files of a place, and the ROMs among them.
  static Neighbours of(const std::vector<WalkedFile>& files, const RomIndex& roms);

  /// The one system whose ROMs bear the names of files called alike in the same folder; nothing
  /// when there are none, or ROMs of several systems do.
  [[nodiscard]] std::optional<System> system_of(const Path& file) const;
  /// Whether files of the same name in other slots, of a like size, lie beside it.
  [[nodiscard]] bool slots_beside(const Path& file) const;

 private:
  std::map<std::string, std::set<System>> systems_;          // by folder and extension
  std::map<std::string, std::vector<std::uint64_t>> slots_;  // sizes, by the path without its slot
  std::map<std::string, std::uint64_t> sizes_;               // of files with slots
};

/// The layouts that a file may have, of which those are gone that something speaks against.
struct Believable {
  std::vector<Guess> guesses;  ///< best first
  std::string ordinary;        ///< what the marks of ordinary formats say, in plain words
};
[[nodiscard]] Believable believable(ByteView file, const Hints& hints);

}  // namespace bayswap
