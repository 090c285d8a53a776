// Files that a program still holds open: it would write its own progress over what is put there.
#pragma once

#include <optional>

#include "bayswap/finding.h"
#include "bayswap/storage.h"

namespace bayswap {

/// `in-use`, with who holds the file open for writing. Waits so many seconds for it to be closed.
[[nodiscard]] std::optional<Finding> in_use(Storage& storage, const Path& path,
                                            int wait_seconds = 0);

/// `in-use` when a file that had been there was changed within the last two seconds: a program may
/// be writing it bit by bit. `own_ns`: the time that Bay Swap itself left it with; 0: none. Waits
/// so many seconds for two quiet ones.
[[nodiscard]] std::optional<Finding> changed_just_now(Storage& storage, const Path& path,
                                                      std::int64_t own_ns, int wait_seconds = 0);

}  // namespace bayswap
