// One run of Bay Swap writes one of its own files at a time; the others wait for their turn.
#pragma once

#include <memory>

#include "bayswap/result.h"
#include "bayswap/storage.h"

namespace bayswap {

/// Held until the last copy goes, or the process ends in whatever way.
using TurnLock = std::shared_ptr<const void>;

/// Waits its turn beside the file. Errors: `history-failed` when another run does not end.
[[nodiscard]] Result<TurnLock> take_turn(const Path& file);

}  // namespace bayswap
