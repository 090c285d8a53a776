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
  std::vector<CatalogDump> dumps;
};

/// Errors: `bad-list` with the line; `no-match` when it is no such list.
[[nodiscard]] Result<std::vector<ListedGame>> read_game_list(ByteView bytes,
                                                             const std::string& name);

/// The listed games as a catalog has them: variants of one game together, without their tags.
[[nodiscard]] std::vector<CatalogGame> grouped_games(const std::vector<ListedGame>& listed,
                                                     std::optional<System> system);

}  // namespace bayswap
