// Where the chips of a cartridge go: the files of a bay's shelves for its system.
#pragma once

#include <memory>

#include "moves/target.h"

namespace bayswap {

/// Adds the checks of find_game_there(), and `chip-differs`, `damaged` and `no-match`.
[[nodiscard]] std::unique_ptr<Target> make_file_target(const CarryContext& context);

}  // namespace bayswap
