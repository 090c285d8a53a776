// Naming patterns made from one example of a name.
#pragma once

#include <string>

#include "bayswap/game.h"

namespace bayswap {

/// The path with the save's own name in it left open. The path must hold it.
[[nodiscard]] std::string label_pattern(const std::string& relative, const std::string& label);

/// The pattern with a ROM's region open; empty where it has none. It may stand there by chance.
[[nodiscard]] std::string with_region(const std::string& pattern, Region region);

/// Of a file of one save: its name, and what else of its game stands in the file's name, as fields.
[[nodiscard]] std::string single_pattern(const std::string& relative, const std::string& label,
                                         const Game& game);

/// A title with tags behind it, such as a year and a maker, is a name that each game has its own
/// of: `{title} (1993)` becomes `{stem}`.
[[nodiscard]] std::string with_tags_as_stem(const std::string& pattern);

}  // namespace bayswap
