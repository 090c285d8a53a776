// Between ROMs and the fields of naming patterns.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/naming.h"
#include "places/rom_index.h"

namespace bayswap {

/// What a pattern's `{title}` is on a shelf.
enum class TitleStyle {
  people,  ///< as people write it: the catalog's, or the ROM's name without tags
  header,  ///< as the ROM's header has it
};

/// The catalog's title, or the ROM's name without tags.
[[nodiscard]] std::string people_title(const RomFile& rom, const Catalog& catalog);

/// The ROM's values for `stem`, `title`, `code`, `serial`, `maker` and `region`.
[[nodiscard]] Fields fields_of_rom(const RomFile& rom, const Catalog& catalog, TitleStyle style);

/// Adds the folder that the ROM lies in below the ROMs of a shelf.
void add_folder_field(const RomFile& rom, const Path& roms, Fields& fields);

/// Adds the values for the hashes that the pattern has; the ROM is read for them only.
void add_hash_fields(Storage& storage, const RomFile& rom, const NamingPattern& pattern,
                     Fields& fields);

/// The ROMs that values read from a path mean: by stem, else by hash, else by title of either
/// style, code or serial. Where the values have a folder, it is theirs.
[[nodiscard]] std::vector<const RomFile*> roms_of_fields(Storage& storage, const RomIndex& roms,
                                                         System system, const Fields& fields,
                                                         const Catalog& catalog);

/// The words that a ROM can lend to a path, with the field of each; long enough to mean something.
/// Codes and serials also in small letters and as hex digits, the ROM's name as hex digits.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> words_of_rom(const RomFile& rom,
                                                                            const Catalog& catalog);

/// The same for its hashes, in small and capital letters.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> words_of_hashes(
    const RomHashes& hashes);

/// What the names that lie on a shelf already have for titles.
[[nodiscard]] TitleStyle title_style_of(const std::vector<std::string>& titles,
                                        const RomIndex& roms, const Catalog& catalog);

}  // namespace bayswap
