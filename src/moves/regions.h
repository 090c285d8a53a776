// Regions of a game: it sees its own region's saves alone.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/card.h"
#include "bayswap/catalog.h"

namespace bayswap {

/// Whether it names a region that differs from others.
[[nodiscard]] bool is_known(Region region);

/// The region that all saves have whose games tell one; `unknown` when they differ, or none tells.
[[nodiscard]] Region common_region(const Card& card);

/// Whether two codes, serials or title ids are those of one game in two regions.
[[nodiscard]] bool are_siblings(System system, const std::string& one, const std::string& other,
                                const Catalog& catalog);

/// `region-differs`: the save's region, the one there, and why that is known.
[[nodiscard]] Finding region_differs(const Save& save, Region there, const std::string& why);

/// The same for a card: it holds a save of another region's game, or all of its saves are for
/// another one. `of_card`: what its saves or its name say. `holds_it`: the save is there already.
[[nodiscard]] std::optional<Finding> region_differs_on_card(const Save& save, const Card& card,
                                                            Region of_card, bool holds_it,
                                                            const Catalog& catalog);

}  // namespace bayswap
