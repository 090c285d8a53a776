// Shelves for chips of which no save lies in a place yet, worked out from those of other chips.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bay.h"

namespace bayswap {

/// Where a part of a save would lie: as the system's other saves there do, with the same extension
/// where all of them have one, or with the one of its kind where they are named after their chips
/// (`.eep`, `.sra`, `.fla`, `.mpk`). Byte order as there. Nothing where saves there have several
/// extensions that are no such kin.
[[nodiscard]] std::vector<Shelf> shelves_by_habit(const Bay& bay, System system,
                                                  const std::string& part);

}  // namespace bayswap
