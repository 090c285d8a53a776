// Save states for people: what one says of itself, and the slots of each game side by side.
#pragma once

#include <string>
#include <vector>

#include "bayswap/dig.h"
#include "bayswap/slots.h"
#include "bayswap/state.h"
#include "cli/render/style.h"

namespace bayswap::cli {

/// Ten cells in a row, each with its picture, time and size.
[[nodiscard]] std::string boards_text(const std::vector<SlotBoard>& boards, const Style& style);

[[nodiscard]] std::string dug_text(const Dug& dug, const Style& style);

}  // namespace bayswap::cli
