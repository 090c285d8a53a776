// Where a save goes: the game at the destination, the shelves, and the bytes to be written.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/naming.h"
#include "moves/carry_checks.h"
#include "moves/carry_source.h"
#include "core/bytes/hash.h"

namespace bayswap {

/// The game at the destination that a save is for.
struct TargetGame {
  std::string stem;
  std::optional<RomFile> rom;
};

/// Finds the ROM by --rom, --game, name, header title or code; never by guess. Adds `no-match`,
/// `many-match`, `other-game` or `region-differs` to the checks when it cannot.
[[nodiscard]] std::optional<TargetGame> find_target_game(Session& session, RomFolders& folders,
                                                         const Bay& bay, const Source& source,
                                                         const CarryRequest& request,
                                                         Checks& checks);

/// The ROMs of the bay, of any system, that a loose file is named after or that the user names.
[[nodiscard]] std::vector<const RomFile*> roms_named(Session& session, RomFolders& folders,
                                                     const Bay& bay, const std::string& stem,
                                                     const std::string& game);

/// What a shelf's pattern is filled in with for a game there; the slot is left to the caller.
[[nodiscard]] Fields fields_there(Session& session, RomFolders& folders, const Bay& bay,
                                  const Shelf& shelf, const NamingPattern& pattern,
                                  const Source& source, const TargetGame& game);

/// One file to be written.
struct TargetFile {
  Path path;
  const Layout* layout = nullptr;  ///< null for a state, whose form nobody knows
  Save carried;                    ///< the parts that go into it
  std::vector<std::string> from;   ///< the files that they come from
  std::optional<Digest> before;    ///< of the file there
  std::int64_t before_modified_ns = 0;
  bool already_there = false;
  bool replaces_progress = false;  ///< the file there holds other progress in these parts
  Bytes bytes;
  Bytes companion = {};                ///< goes beside it, see LayoutInfo::companion
  FileNames names = FileNames::exact;  ///< of its shelf
};

/// Notes what lies at the path of a file that moves whole, and whether it is the same.
[[nodiscard]] Result<void> compare_whole(Storage& storage, TargetFile& file);

struct Targets {
  std::vector<TargetFile> files;
  Findings losses;
};

/// Chooses shelves and layouts for every part that holds something, and makes the bytes. Existing
/// files are the moulds.
[[nodiscard]] Result<Targets> make_targets(Session& session, RomFolders& folders, const Bay& bay,
                                           const Source& source, const TargetGame& game,
                                           const Hints& hints, Checks& checks);

}  // namespace bayswap
