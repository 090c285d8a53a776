// Where a file really is.
#pragma once

#include "bayswap/storage.h"

namespace bayswap {

/// Absolute, without `.` and `..`, and with links followed: a link's target is what changes. Of a
/// path that leads nowhere, as far as that can be told.
[[nodiscard]] Path full_path(const Path& path);

}  // namespace bayswap
