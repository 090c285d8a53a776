// The ROMs in a folder, by name and by what their headers say.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/catalog.h"
#include "bayswap/layout.h"
#include "bayswap/rom.h"
#include "bayswap/storage.h"
#include "places/rom_hashes.h"
#include "places/walk.h"

namespace bayswap {

struct RomFile {
  Path path;
  std::string stem;  ///< file name without extension
  RomInfo info;
};

/// A file name without its last extension.
[[nodiscard]] std::string stem_of(const Path& path);

/// The ROM in a file; nothing when it is none or cannot be read. Where its header says nothing that
/// the catalog knows, its hashes may.
[[nodiscard]] std::optional<RomFile> read_rom_file(Storage& storage, const Path& path,
                                                   const Catalog& catalog);

/// The same, where the file's size is known.
[[nodiscard]] std::optional<RomFile> read_rom_file(Storage& storage, const Path& path,
                                                   const FileInfo& info, const Catalog& catalog);

class RomIndex {
 public:
  /// ROMs directly in the folder, or in all folders below too. Links are not followed.
  [[nodiscard]] static RomIndex scan(Storage& storage, const Path& folder, bool below,
                                     const Catalog& catalog);
  using NoRom = std::function<void(std::size_t, FileView)>;
  /// Of files that are known already. Until the first ROM turns up, small files that are none are
  /// given to `others` as they were read, by their numbers and on two threads.
  [[nodiscard]] static RomIndex of(Storage& storage, const std::vector<WalkedFile>& files,
                                   const Catalog& catalog, const NoRom& others = {});
  /// Those of them that lie in a folder or below it. The ROMs themselves are shared.
  [[nodiscard]] RomIndex in(const Path& folder) const;
  void add(RomFile rom);

  [[nodiscard]] const std::vector<const RomFile*>& roms() const { return roms_; }
  [[nodiscard]] bool has_stem(std::string_view stem) const;
  /// The ROM in this file; nullptr when it is none of them.
  [[nodiscard]] const RomFile* at(const Path& path) const;
  [[nodiscard]] bool has_path(const Path& path) const { return at(path) != nullptr; }
  /// The ROMs of this exact stem; else those whose name or header title is the same but for tags,
  /// case and punctuation, and of them the closest in name.
  [[nodiscard]] std::vector<const RomFile*> matching(std::string_view stem,
                                                     std::optional<System> system) const;
  /// One of the ROMs' hashes. All of them are read when the first is asked for.
  [[nodiscard]] const RomHashes& hashes_of(Storage& storage, const RomFile& rom) const;
  /// The ROMs that have this hash, of whichever kind. Reads them likewise.
  [[nodiscard]] std::vector<const RomFile*> hashed_as(Storage& storage,
                                                      std::string_view hash) const;

 private:
  struct Known;
  [[nodiscard]] bool holds(const RomFile& rom) const;
  std::shared_ptr<Known> known_;       // shared by an index and those of folders inside
  std::optional<std::string> folder_;  // the only one that counts
  std::vector<const RomFile*> roms_;
};

/// Those of the ROMs whose names agree most with a name, in its words and tags.
[[nodiscard]] std::vector<const RomFile*> closest_in_name(std::vector<const RomFile*> roms,
                                                          const std::string& name);

/// How many of a path's names a ROM's folders have, its system counted as one of them. Of ROMs of
/// one name for several systems the nearest is meant.
[[nodiscard]] std::size_t nearness(const RomFile& rom, const std::vector<std::string>& names);

/// What a ROM and the catalog tell about saves of a game.
[[nodiscard]] Hints hints_of(const RomInfo& rom, const Catalog& catalog);

/// The game of a ROM, named as people know it: the catalog's title, else the stem without tags.
[[nodiscard]] Game game_of(const RomFile& rom, const Catalog& catalog);

/// How a title that a header cut off compares with a full one.
[[nodiscard]] bool titles_agree(std::string_view full, std::string_view header);

}  // namespace bayswap
