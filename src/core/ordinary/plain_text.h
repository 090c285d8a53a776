// Text in any common encoding, told from bytes alone.
#pragma once

#include "bayswap/bytes.h"

namespace bayswap {

/// Whether the bytes are text: UTF-8, UTF-16 or UTF-32 in either byte order, or an encoding of one
/// or two bytes a letter (Latin, Cyrillic, Greek, Japanese, Chinese, Korean …). Nothing that a save
/// chip holds passes: control characters, long runs of one byte and random bytes are no text.
[[nodiscard]] bool is_plain_text(ByteView file);

}  // namespace bayswap
