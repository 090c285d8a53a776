// Where a state goes: a slot of a shelf whose states are of the same program.
#pragma once

#include <optional>
#include <string>

#include "moves/carry_target.h"

namespace bayswap {

struct StateTarget {
  TargetFile file;
  std::string slot;
};

/// Chooses shelf and slot. Adds `other-program`, `damaged` and `no-match` to the checks when it
/// cannot.
[[nodiscard]] Result<std::optional<StateTarget>> make_state_target(
    Session& session, RomFolders& folders, const Bay& bay, const Source& source,
    const TargetGame& game, const CarryRequest& request, Checks& checks);

}  // namespace bayswap
