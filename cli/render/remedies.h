// How the remedies of a hint are typed on the command line. Nothing else in Bay Swap words commands
// and options for what the library finds.
#pragma once

#include <string>

#include "bayswap/hint.h"

namespace bayswap::cli {

/// The whole hint as this tool says it.
[[nodiscard]] std::string hint_text(const Hint& hint);

}  // namespace bayswap::cli
