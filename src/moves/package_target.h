// Where a package goes: its title and profile there.
#pragma once

#include <memory>

#include "moves/target.h"

namespace bayswap {

/// The package moves as it is; its path follows the profile that plays there. Adds `no-match`,
/// `many-match` and `region-differs` to the checks.
[[nodiscard]] std::unique_ptr<Target> make_package_target(const CarryContext& context);

}  // namespace bayswap
