// One file that belongs into a title's folder.
#pragma once

#include <optional>

#include "moves/carry_source.h"
#include "reading/bay_scan.h"

namespace bayswap {

/// One file as a part of the one title's save at the destination that has a file of its name.
/// Nothing when none has. Errors: `many-match` when several have, and the request does not say
/// which.
[[nodiscard]] Result<std::optional<Source>> read_part_of_title(Session& session, BayScan& to,
                                                               const Path& file,
                                                               const CarryRequest& request);

}  // namespace bayswap
