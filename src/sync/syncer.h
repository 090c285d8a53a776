// Bays and the hub in step: what changed here is published, what is newer elsewhere is carried
// here, and what nobody can know is shown.
#pragma once

#include <vector>

#include "bayswap/sync.h"
#include "sync/joined_hub.h"

namespace bayswap {

/// What sync() does once the hub is open and it is known that there is something to do. Errors:
/// those of sync().
[[nodiscard]] Result<SyncReport> sync_bays(Session& session, const SyncRequest& request,
                                           JoinedHub& joined, const std::vector<const Bay*>& bays);

}  // namespace bayswap
