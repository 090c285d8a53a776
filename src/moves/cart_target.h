// A cartridge in a reader as a place to carry to, and from.
#pragma once

#include "moves/target.h"

namespace bayswap {

[[nodiscard]] std::unique_ptr<Target> make_cart_target(const CarryContext& context);

/// The save on the cartridge, dumped until it is sure. Errors: those of look_cart(); `unsteady`.
[[nodiscard]] Result<std::vector<Source>> read_cart(Session& session, const Bay& bay);

}  // namespace bayswap
