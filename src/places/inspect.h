// One file, read and identified with everything that is known around it. Every command that reads a
// save starts here.
#pragma once

#include <map>
#include <mutex>
#include <optional>
#include <string>
#include <unordered_map>
#include <vector>

#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "bayswap/session.h"
#include "places/evidence.h"
#include "places/rom_index.h"
#include "places/state_signs.h"

namespace bayswap {

/// A shelf of a known bay, ready to be compared with paths.
struct ShelfToMatch {
  const Bay* bay = nullptr;
  const Shelf* shelf = nullptr;
  std::string place;  ///< of the bay, in full
  NamingPattern pattern;
};

/// ROM folders that were read already. May be asked from several threads.
class RomFolders {
 public:
  explicit RomFolders(Session& session) : session_(&session) {}
  const RomIndex& beside(const Path& folder);
  const RomIndex& below(const Path& folder);
  /// ROMs below a folder that a walk has found already.
  void know_below(const Path& folder, const RomIndex& roms);
  /// The ROMs of a shelf.
  const RomIndex& of_shelf(const Bay& bay, const Shelf& shelf);
  /// The ROMs of all bays' shelves.
  const RomIndex& of_bays();
  /// All shelves of all bays whose patterns can be used.
  const std::vector<ShelfToMatch>& shelves();

 private:
  const RomIndex& scanned(const Path& folder, bool below);
  Session* session_;
  std::mutex reading_;
  std::map<std::pair<Path, bool>, RomIndex> known_;
  struct Walked {
    Path folder;  // as the walk was asked for it
    std::string full;
    const RomIndex* roms = nullptr;
  };
  Walked walked_;
  std::unordered_map<std::string, const RomIndex*> of_shelves_;
  std::once_flag compiled_;
  std::vector<ShelfToMatch> shelves_;
  std::once_flag listed_;
  RomIndex of_bays_;
};

struct InspectOptions {
  std::string is;                   ///< layout id that the user says; empty: work it out
  std::optional<Path> rom;          ///< ROM that the user says
  std::optional<System> system;     ///< known from the request
  std::optional<RomFile> expected;  ///< the game it is meant for, where nothing nearer tells
  const RomIndex* index = nullptr;  ///< ROMs of the folder that is looked through
  const FileInfo* info = nullptr;   ///< of the file, where it is known already
  const FileView* view = nullptr;   ///< all of it, where it was read already
  bool companions = true;           ///< whether any file near it can be its second one
  /// What the other files of the folder that is looked through tell; null: the user named the file.
  const Neighbours* neighbours = nullptr;
};

/// A file's place in a known bay.
struct ShelfMatch {
  const Bay* bay = nullptr;
  const Shelf* shelf = nullptr;
  std::string stem;
  std::optional<std::string> slot;  ///< where the pattern has one
};

struct Inspection {
  Path path;
  FileInfo info;
  FileView view;
  Hints hints;
  std::optional<ShelfMatch> shelf;
  std::optional<RomFile> rom;             ///< the ROM that the save belongs to
  std::optional<RomFile> named_after;     ///< without one: a ROM in some bay has its name
  std::vector<std::string> several_roms;  ///< more than one fits
  std::vector<Guess> guesses;             ///< best first; what speaks against it is considered
  Evidence evidence = Evidence::none;     ///< what speaks for it being a save
  std::string ordinary;     ///< what the marks of ordinary formats say, in plain words
  bool game_known = false;  ///< by a ROM of its own or the expected one
  bool state = false;       ///< a snapshot of a program, not a save

  [[nodiscard]] bool game_known_by_rom() const { return rom || named_after; }
  [[nodiscard]] const Layout* layout() const {
    return guesses.empty() ? nullptr : guesses.front().layout;
  }
};

/// Errors: `missing`, `unreadable`, `too-large`, `unknown-layout`, `no-match` (--rom is not a ROM).
[[nodiscard]] Result<Inspection> inspect(Session& session, RomFolders& folders, const Path& path,
                                         const InspectOptions& options);

/// The bay and shelf that a path lies on; nothing when none claims it.
[[nodiscard]] std::optional<ShelfMatch> find_shelf(Session& session, RomFolders& folders,
                                                   const Path& path);

/// What is said of a file of which nothing is known.
inline constexpr std::string_view kNoKnownForm = "not a save, card or ROM that Bay Swap knows";
/// Findings about a file that fits no layout: empty, cut short, compressed, or unknown.
[[nodiscard]] Findings judge_unknown(const Inspection& inspection);

}  // namespace bayswap
