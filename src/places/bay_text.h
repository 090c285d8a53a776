// A bay as it stands in bays.toml.
#pragma once

#include <string>

#include "bayswap/bay.h"

namespace bayswap {

[[nodiscard]] std::string bay_text(const Bay& bay);
/// One shelf of it, to be added to what is there.
[[nodiscard]] std::string shelf_text(const std::string& bay, const Shelf& shelf);

}  // namespace bayswap
