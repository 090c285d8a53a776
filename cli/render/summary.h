// Many moves at a glance.
#pragma once

#include <string>

#include "bayswap/carry.h"
#include "cli/render/style.h"

namespace bayswap::cli {

/// A table of a carry of many saves: what moved, what was there already, what was left and why.
[[nodiscard]] std::string summary_text(const CarryReport& report, const Style& style);

}  // namespace bayswap::cli
