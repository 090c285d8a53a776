// Where a state goes: a slot of a shelf whose states are of the same program.
#pragma once

#include <memory>

#include "moves/target.h"

namespace bayswap {

/// Chooses shelf and slot. Adds `other-program`, `damaged` and `no-match` to the checks when it
/// cannot.
[[nodiscard]] std::unique_ptr<Target> make_state_target(const CarryContext& context);

}  // namespace bayswap
