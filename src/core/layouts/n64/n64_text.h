// The character code of the n64's controller pak: one byte a letter, 00 ends.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "bayswap/bytes.h"

namespace bayswap {

/// UTF-8, up to the first 00. Bytes that stand for nothing become U+FFFD.
[[nodiscard]] std::string n64_text(ByteView bytes);

/// At most `length` bytes, filled up with 00. Lower-case letters become capitals. Nothing when a
/// letter does not exist in the code or the text is too long.
[[nodiscard]] std::optional<Bytes> n64_bytes(std::string_view text, std::size_t length);

/// True when every byte before the first 00 stands for a letter.
[[nodiscard]] bool is_n64_text(ByteView bytes);

}  // namespace bayswap
