// The catalog's games as text.
#pragma once

#include <string>
#include <vector>

#include "bayswap/catalog_edit.h"
#include "cli/render/style.h"

namespace bayswap::cli {

/// Whether a person means this game: a part of its title, a code, a title id or a hash.
[[nodiscard]] bool is_meant(const CatalogGame& game, const std::string& text);

/// A table by system. `of`: how many the catalog knows in all.
[[nodiscard]] std::string games_text(const std::vector<const CatalogGame*>& games, std::size_t of,
                                     const Style& style);

[[nodiscard]] std::string imported_text(const Imported& imported, const Style& style);

}  // namespace bayswap::cli
