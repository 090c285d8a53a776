// Which game at the destination a save is for.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "moves/target.h"

namespace bayswap {

/// The game at the destination that a save is for.
struct GameThere {
  std::string stem;
  std::optional<RomFile> rom;
};

/// The game that the user names, or whose ROM has the save's name, header title or code; never a
/// guess. Adds `no-match`, `many-match`, `other-game` or `region-differs` to the checks when it
/// can't be told.
[[nodiscard]] std::optional<GameThere> find_game_there(const CarryContext& context,
                                                       const Source& source, Checks& checks);

/// Of a place that is one file: the game whose ROM beside it has its name.
[[nodiscard]] std::optional<RomFile> rom_of_exact_place(BayScan& bay);

/// The ROMs of the bay, of any system, that a loose file is named after or that the user names.
[[nodiscard]] std::vector<const RomFile*> roms_named(Session& session, BayScan& bay,
                                                     const std::string& stem,
                                                     const std::string& game);

/// What a shelf's pattern is filled in with for a game there; the slot is left to the caller.
[[nodiscard]] Fields fields_there(const CarryContext& context, const Shelf& shelf,
                                  const NamingPattern& pattern, const Source& source,
                                  const GameThere& game);

/// The folder that a shelf's ROMs lie in.
[[nodiscard]] Path roms_folder_of(const Bay& bay, const Shelf& shelf);

/// The shelves of a bay for one kind of save of a system.
[[nodiscard]] std::vector<const Shelf*> shelves_for(const Bay& bay, System system, Kind kind);

}  // namespace bayswap
