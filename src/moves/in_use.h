// Files that a program still holds open: it would write its own progress over what is put there.
#pragma once

#include <optional>

#include "bayswap/finding.h"
#include "bayswap/storage.h"

namespace bayswap {

/// `in-use`, with who holds the file open for writing. Waits so many seconds for it to be closed.
[[nodiscard]] std::optional<Finding> in_use(Storage& storage, const Path& path,
                                            int wait_seconds = 0);

}  // namespace bayswap
