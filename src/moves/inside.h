// Whether a path stays in a place, links considered.
#pragma once

#include "bayswap/storage.h"

namespace bayswap {

[[nodiscard]] bool inside(const Path& place, const Path& path);

}  // namespace bayswap
