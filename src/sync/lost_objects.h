// What a hub has lost, put there again by a device that has it.
#pragma once

#include <vector>

#include "sync/bay_view.h"
#include "sync/joined_hub.h"

namespace bayswap {

/// Puts objects there again that some device could not read, or that the hub should hold and does
/// not, as far as they lie in these bays. Errors: `hub-failed`.
[[nodiscard]] Result<void> put_back_lost(JoinedHub& joined, const std::vector<BayView>& bays);

}  // namespace bayswap
