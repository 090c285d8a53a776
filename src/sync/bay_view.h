// One bay during a sync: what lies there, and what is to be carried there.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "sync/joined_hub.h"
#include "sync/local_saves.h"

namespace bayswap {

/// A save whose newest version is to be carried to a bay.
struct WantedHere {
  const SyncedSave* save = nullptr;
  const RomFile* rom = nullptr;         ///< of the game there, where no save of it lies there yet
  const LocalUnit* replaces = nullptr;  ///< the save that lies there
};

struct BayView {
  const Bay* bay = nullptr;
  std::vector<LocalUnit> units;
  std::map<std::string, std::size_t> places;  ///< of the units, by key
  /// Places of the units of a save, once it is known which are.
  std::multimap<const SyncedSave*, std::size_t> of_save;
  std::string stamp;  ///< of its files, before they were read
  std::vector<WantedHere> wanted;
  bool changed = false;  ///< something was carried there

  /// Errors: those of reading the place.
  [[nodiscard]] static Result<BayView> read(Session& session, const Bay& bay, bool states);
  [[nodiscard]] bool has_key(const std::string& key) const { return places.contains(key); }
  [[nodiscard]] std::vector<const LocalUnit*> units_of(const SyncedSave& save) const;
  /// The only ROM here whose game a save is of; null when there is none, or several fit.
  [[nodiscard]] const RomFile* rom_of(Session& session, const VersionGraph& graph,
                                      const SyncedSave& save);
  /// A version as something to carry here. Errors: those of content_of() and the place.
  [[nodiscard]] Result<Source> source_of(JoinedHub& joined, const SyncedSave& save,
                                         const SaveVersion& version, const RomFile* rom) const;

 private:
  struct Roms {
    std::vector<RomFile> files;
    std::map<std::string, std::set<std::size_t>> named;
  };
  std::optional<Roms> roms_;
};

}  // namespace bayswap
