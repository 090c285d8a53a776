// Games added to the catalog: one by hand, or a whole list that others keep.
//
// Library bayswap_places. A session and what belongs to it are used by one thread at a time;
// several sessions may be used by several threads.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/session.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Appends the game to the user's catalog file; what stands there stays as it is written. Errors:
/// `name-taken` when a game of that title and system is there.
[[nodiscard]] Result<void> add_catalog_game(Session& session, const CatalogGame& game);

struct ImportRequest {
  Path file;                        ///< XML or CSV
  std::optional<System> system;     ///< for lists that do not say it
  std::optional<std::string> name;  ///< of the list; nothing: the file's own
};

struct Imported {
  Path file;              ///< where the list is kept
  std::size_t games = 0;  ///< variants of one game count once
  std::size_t dumps = 0;
  std::size_t left_out = 0;         ///< lines whose system nobody says
  std::size_t chips = 0;            ///< lines that say which chip the game saves to
  std::vector<std::string> unused;  ///< headings of columns that were not used
  bool replaced = false;            ///< an older list of that name
};

/// Keeps the list as `catalog/NAME.toml` beside the user's file; an older one of that name is
/// replaced. Errors: `bad-list`, `no-match`, `usage` when the system is not said.
[[nodiscard]] Result<Imported> import_catalog(Session& session, const ImportRequest& request);

}  // namespace bayswap

#pragma GCC visibility pop
