// Which ROM a save's path names, and what is left of the path as a naming pattern.
#pragma once

#include <map>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "bayswap/layout.h"
#include "places/inspect.h"
#include "places/rom_folders.h"
#include "places/rom_index.h"
#include "places/walk.h"

namespace bayswap {

/// What a file's path and content say of it together.
struct PathReading {
  std::string pattern;
  const RomFile* rom = nullptr;
  SaveAndRomFolder folders;
  StateSign sign = StateSign::none;
  std::optional<Guess> guess;     ///< none: a save state
  bool titled = false;            ///< the ROM's title is the same as its stem
  std::set<std::string> spelled;  ///< fields whose letters tell capitals from small ones
  std::string regional;      ///< the pattern with the ROM's region open; empty where it has none
  std::string folded;        ///< the path but for a ROM's name in whatever letters
  bool only_folded = false;  ///< they are not those of the ROM
  std::vector<PathReading> others;  ///< of other systems' ROMs of that name, no farther away
};

/// Reads the paths of a place's files. May be asked from several threads.
class PathReader {
 public:
  /// `hashed`: hashes of ROMs may stand in paths; whole ROMs are read for them. `companions`: some
  /// files there are called as second files are.
  PathReader(Storage& storage, const Catalog& catalog, Path place, const RomIndex& roms,
             bool hashed, bool companions)
      : storage_(storage),
        catalog_(catalog),
        place_(std::move(place)),
        roms_(roms),
        hashed_(hashed),
        companions_(companions) {}

  /// The ROM whose name, or other word, stands in the path below the place, and that can have left
  /// the content. Nothing where there is none.
  [[nodiscard]] std::optional<PathReading> read(const WalkedFile& file,
                                                const std::string& relative) const;

 private:
  // What ROMs are called in other words than their files' names: the field of each word, and the
  // ROMs that have it. A word that two ROMs share in different fields says nothing.
  using Words =
      std::map<std::string, std::pair<std::string, std::vector<const RomFile*>>, std::less<>>;
  // ROMs by their names and titles in small letters.
  using FoldedNames = std::map<std::string, std::vector<const RomFile*>, std::less<>>;

  void collect() const;
  [[nodiscard]] std::optional<PathReading> reading_for(
      const WalkedFile& file, const std::string& relative, const std::string& word,
      const std::string& field, const std::vector<const RomFile*>& roms) const;
  [[nodiscard]] std::string with_name_open(const std::string& relative, const std::string& name,
                                           const RomFile& rom) const;
  [[nodiscard]] std::string name_in_any_letters(const std::string& relative) const;
  [[nodiscard]] std::vector<std::pair<std::string, std::string>> lent_by(const RomFile& rom) const;
  void open_other_words(PathReading& reading) const;
  [[nodiscard]] std::string folder_of(const RomFile& rom) const;

  Storage& storage_;
  const Catalog& catalog_;
  Path place_;
  const RomIndex& roms_;
  bool hashed_;
  bool companions_;
  mutable std::once_flag collected_;
  mutable Words words_;  // asked for only where a path holds no ROM's stem
  mutable FoldedNames folded_;
};

/// A file's content, as far as saves go. Errors: those of the storage.
[[nodiscard]] Result<FileView> view_of_file(Storage& storage, const WalkedFile& file);

}  // namespace bayswap
