// The user's own list of games: codes per region, save chip, title.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "bayswap/game.h"
#include "bayswap/result.h"
#include "bayswap/rom.h"
#include "bayswap/storage.h"

namespace bayswap {

struct CatalogGame {
  std::string title;
  System system = System::snes;
  std::string chip;  ///< what follows the system in a layout id: `sram`, `eeprom4k` …; may be empty
  std::map<Region, std::string> codes;
  std::map<Region, std::string> title_ids;
  std::vector<std::string> companions;  ///< paths of shared files, relative to the bay

  /// The chips behind `chip`; nothing when it is empty.
  [[nodiscard]] std::optional<std::vector<Chip>> chips() const;
};

class Catalog {
 public:
  /// Reads a catalog file; a missing one is an empty catalog. Errors: `bad-catalog` with line and
  /// column.
  [[nodiscard]] static Result<Catalog> load(Storage& storage, const Path& file);
  [[nodiscard]] static Result<Catalog> parse(std::string_view toml, const std::string& name);

  /// By code, else by title. Null when the catalog does not know the game.
  [[nodiscard]] const CatalogGame* find(const RomInfo& rom) const;
  [[nodiscard]] const CatalogGame* find(System system, std::string_view title) const;
  /// By a code or serial of any region.
  [[nodiscard]] const CatalogGame* find_code(System system, std::string_view code) const;
  [[nodiscard]] const std::vector<CatalogGame>& games() const { return games_; }

 private:
  std::vector<CatalogGame> games_;
};

}  // namespace bayswap
