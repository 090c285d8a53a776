// Files that are filled piece by piece, on POSIX calls.
#pragma once

#include "bayswap/storage.h"

namespace bayswap {

/// What Storage::open_work_file() says, on the machine's own file system.
[[nodiscard]] Result<std::unique_ptr<WorkFile>> open_file_to_fill(const Path& path);

}  // namespace bayswap
