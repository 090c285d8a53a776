// Going through a folder without following links.
#pragma once

#include <functional>

#include "bayswap/storage.h"

namespace bayswap {

/// Calls `visit` for each regular file, in the order of names. Links, unreadable folders and Bay
/// Swap's own unfinished files are passed over.
void walk_files(Storage& storage, const Path& folder, bool below,
                const std::function<void(const Path&, const FileInfo&)>& visit);

}  // namespace bayswap
