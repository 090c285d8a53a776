// The picture of the screen that many programs put into a state.
#pragma once

#include <optional>

#include "bayswap/bytes.h"
#include "bayswap/face.h"

namespace bayswap {

/// A PNG anywhere in the content, or a raw picture: its width and height as numbers, and as many
/// pixels of two, three or four bytes behind them, whose rows are like their neighbours.
[[nodiscard]] std::optional<Picture> picture_in(ByteView content);

}  // namespace bayswap
