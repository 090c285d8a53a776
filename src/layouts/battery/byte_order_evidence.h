// Judging from its content in which byte order a save is stored.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

enum class ByteOrder { unknown, native, swap16, swap32 };

/// The order in which words of the game or ordinary text can be read. `unknown` unless one order
/// reads clearly better than all others.
[[nodiscard]] ByteOrder judge_byte_order(ByteView stored, const std::vector<std::string>& words);

}  // namespace bayswap
