// What is carried: one save, gathered from the files that hold its parts.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/carry.h"
#include "places/inspect.h"
#include "places/rom_index.h"
#include "reading/bay_scan.h"

namespace bayswap {

struct Source {
  Save save;
  std::string stem;  ///< ROM name that the files go by
  std::optional<RomFile> rom;
  std::vector<std::string> several_roms;
  std::vector<Path> files;
  std::vector<std::string> part_files;  ///< file of each part of `save`
  std::vector<std::string> layouts;     ///< layout of each file
  bool container = false;               ///< a chip's capacity was guessed from erased bytes
  bool sealed = false;                  ///< a folder's files are encrypted for their console
  bool state = false;                   ///< a snapshot of a program, in one file
  std::string slot;                     ///< of a state; may be empty
  bool on_shelf = false;                ///< a shelf of a known bay claims it
  std::optional<Path> folder_there;     ///< the title's folder there that it belongs into
  std::int64_t modified_ns = 0;         ///< of the newest file
  Findings problems;                    ///< checks that stop it already
  /// Asked just before it is placed; may be empty. What it finds stops the carry.
  std::function<std::optional<Finding>()> last_look = {};

  [[nodiscard]] std::string shown() const;
};

/// A single file. `expected`: the game at the destination that it is meant for; it counts only
/// where neither a ROM nor a shelf of the source tells. `system`: the only one that the
/// destination can be of.
[[nodiscard]] Result<Source> read_source(Session& session, RomFolders& folders, const Path& path,
                                         const CarryRequest& request,
                                         const std::optional<RomFile>& expected,
                                         std::optional<System> system = {});

/// Every save of a bay, gathered by game.
[[nodiscard]] Result<std::vector<Source>> read_bay(Session& session, RomFolders& folders,
                                                   BayScan& scan, const CarryRequest& request);

/// What lies in a bay and can't be read: it is named, and stops.
[[nodiscard]] Source unreadable_source(const Bay& bay, const Path& path, const Error& error);

/// How many states lie on the shelves of a bay, by system.
[[nodiscard]] std::map<System, std::size_t> states_of_bay(BayScan& scan);

/// Whether a bay has a shelf for states of the system.
[[nodiscard]] bool keeps_states(const Bay& bay, System system);

/// How well a text names a source: 0 not at all, then by part of the title, by title or code, by
/// exact ROM name.
[[nodiscard]] int named_by(const Source& source, const Catalog& catalog, const std::string& text);

}  // namespace bayswap
