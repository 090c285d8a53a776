// Where a save that is a folder goes: its title and account there, or the folder most like it.
#pragma once

#include <memory>

#include "moves/target.h"

namespace bayswap {

/// Adds `no-match`, `many-match`, `region-differs` and `newer-there` to the checks.
[[nodiscard]] std::unique_ptr<Target> make_folder_target(const CarryContext& context);

}  // namespace bayswap
