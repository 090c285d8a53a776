// The user's own list of games: codes per region, save chip, title.
//
// Library bayswap_places. A catalog may be asked from several threads while nobody changes it.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <unordered_map>
#include <unordered_set>
#include <vector>

#include "bayswap/game.h"
#include "bayswap/result.h"
#include "bayswap/rom.h"
#include "bayswap/storage.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// One known image of a game's ROM or disc.
struct CatalogDump {
  std::string name;  ///< as the list calls it
  Region region = Region::unknown;
  std::uint64_t size = 0;  ///< bytes; 0: not known
  std::string crc32;       ///< 8 lower-case hex digits; may be empty
  std::string sha1;        ///< 40 lower-case hex digits; may be empty

  bool operator==(const CatalogDump&) const = default;
};

struct CatalogGame {
  std::string title;
  System system = System::snes;
  std::string chip;  ///< what follows the system in a layout id: `sram`, `eeprom4k` …; may be empty
  std::map<Region, std::string> codes;
  std::map<Region, std::string> title_ids;
  std::vector<std::string> companions;  ///< paths of shared files, relative to the bay
  std::vector<CatalogDump> dumps;

  /// The chips behind `chip`; nothing when it is empty.
  [[nodiscard]] std::optional<std::vector<Chip>> chips() const;
};

class Catalog {
 public:
  /// Reads the user's file, and the imported lists in the folder beside it (`catalog/NAME.toml`);
  /// what the user wrote comes first. Missing ones are empty. Errors: `bad-catalog` with line and
  /// column.
  [[nodiscard]] static Result<Catalog> load(Storage& storage, const Path& file);
  [[nodiscard]] static Result<Catalog> parse(std::string_view toml, const std::string& name);

  /// By hash, where one was computed, else by code, else by title. Null when the catalog does not
  /// know the game.
  [[nodiscard]] const CatalogGame* find(const RomInfo& rom) const;
  [[nodiscard]] const CatalogGame* find(System system, std::string_view title) const;
  /// By a code or serial of any region.
  [[nodiscard]] const CatalogGame* find_code(System system, std::string_view code) const;
  /// By the hashes of a ROM; both must fit where both are known.
  [[nodiscard]] const CatalogGame* find_hash(std::string_view crc32, std::string_view sha1) const;
  /// Whether some dump has this size, so that hashing a file of it can tell something.
  [[nodiscard]] bool has_dump_of(std::uint64_t size) const { return sizes_.contains(size); }
  [[nodiscard]] const std::vector<CatalogGame>& games() const { return games_; }

 private:
  void add(CatalogGame game);

  std::vector<CatalogGame> games_;
  // Places in games_, the first of each.
  std::unordered_map<std::string, std::size_t> by_code_;
  std::unordered_map<std::string, std::size_t> by_title_;
  std::unordered_map<std::string, std::vector<std::size_t>> by_crc32_;
  std::unordered_map<std::string, std::size_t> by_sha1_;
  std::unordered_set<std::uint64_t> sizes_;
};

}  // namespace bayswap

#pragma GCC visibility pop
