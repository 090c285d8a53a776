// What a file or folder has besides its bytes: mode, owner and extended attributes.
#pragma once

#include <string>
#include <vector>

#include "bayswap/storage.h"

namespace bayswap {

/// As Storage::copy_attributes says.
[[nodiscard]] std::vector<std::string> copy_file_attributes(const Path& from, const Path& to);

}  // namespace bayswap
