// Which saves a carry is asked for: by file, by name in a bay, by game, or all of a bay.
#pragma once

#include <vector>

#include "moves/carry_source.h"

namespace bayswap {

struct WantedSaves {
  std::vector<Source> saves;
  Findings notes;  ///< what is left out, and why
};

/// The saves that the request means, read and gathered. `to` is where they go: its ROMs may tell
/// what a loose file is. Errors: `missing`, `no-match`, `many-match`, `usage`.
[[nodiscard]] Result<WantedSaves> find_wanted(Session& session, RomFolders& folders, BayScan& to,
                                              const CarryRequest& request);

}  // namespace bayswap
