// Which saves a carry is asked for: by file, by name in a bay, by game, or all of a bay.
#pragma once

#include <vector>

#include "moves/carry_source.h"

namespace bayswap {

/// The saves that the request means, read and gathered. `to` is where they go: its ROMs may tell
/// what a loose file is. Errors: `missing`, `no-match`, `many-match`, `usage`.
[[nodiscard]] Result<std::vector<Source>> find_wanted(Session& session, RomFolders& folders,
                                                      BayScan& to, const CarryRequest& request);

}  // namespace bayswap
