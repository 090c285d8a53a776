// The game lists that the trade shares, as XML or CSV.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/catalog.h"

namespace bayswap {

/// One line of a list, as it stands there.
struct ListedGame {
  std::string name;    ///< with its tags
  std::string parent;  ///< the name that it is a variant of; empty: none
  std::string serial;  ///< or code
  std::string system;  ///< as the list writes it; empty where it says nothing
  std::string region;  ///< likewise
  std::string chip;    ///< the kind of save, likewise
  std::vector<CatalogDump> dumps;
};

struct GameList {
  std::vector<ListedGame> games;
  std::vector<std::string> unused;  ///< headings of columns that say nothing to a catalog
};

/// Errors: `bad-list` with the line; `no-match` when it is not such a list.
[[nodiscard]] Result<GameList> read_game_list(ByteView bytes, const std::string& name);

/// The catalog's word for a kind of save as lists write it (`EEPROM 4Kbit`, `Flash 1M`, `none`);
/// empty when it says nothing for that system.
[[nodiscard]] std::string chip_of_words(System system, std::string_view words);

/// The listed games as a catalog has them: variants of one game together, without their tags.
[[nodiscard]] std::vector<CatalogGame> grouped_games(const std::vector<ListedGame>& listed,
                                                     std::optional<System> system);

}  // namespace bayswap
