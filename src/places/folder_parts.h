// The files of a folder as the parts of a save.
#pragma once

#include <vector>

#include "bayswap/save.h"
#include "bayswap/storage.h"

namespace bayswap {

/// How much of a folder is held in memory.
enum class Hold {
  all,    ///< everything; a folder that is too large for that is an error
  small,  ///< of a large folder its small files; the others stay outside (Part::outside)
};

/// The files of a folder as parts, relative paths. Links are passed over.
[[nodiscard]] Result<std::vector<Part>> read_parts(Storage& storage, const Path& folder, Hold hold);

}  // namespace bayswap
