// Where a package goes: its title and profile there.
#pragma once

#include <optional>

#include "moves/carry_checks.h"
#include "moves/carry_target.h"

namespace bayswap {

/// The package moves as it is; its path follows the profile that plays there. Adds `no-match`,
/// `many-match` and `region-differs` to the checks.
[[nodiscard]] Result<std::optional<TargetFile>> make_package_target(Session& session,
                                                                    const Bay& bay,
                                                                    const Source& source,
                                                                    const CarryRequest& request,
                                                                    Checks& checks);

}  // namespace bayswap
