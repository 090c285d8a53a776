// Where a save of a memory card goes: a card of the bay, or a file of its own.
#pragma once

#include <memory>

#include "moves/target.h"

namespace bayswap {

/// Chooses the bay's card for one save of a card. Adds `no-match`, `region-differs`, `damaged` and
/// `no-room` to the checks when it cannot.
[[nodiscard]] std::unique_ptr<Target> make_card_target(const CarryContext& context);

}  // namespace bayswap
