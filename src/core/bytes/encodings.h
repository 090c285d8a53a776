// Text encodings of consoles, to UTF-8.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "bayswap/bytes.h"

namespace bayswap {

/// Shift-JIS (code page 932), up to the first NUL. Bytes that stand for nothing become `?`.
[[nodiscard]] std::string shift_jis_text(ByteView bytes);

/// UTF-8 as Shift-JIS. Nothing when a letter does not exist there.
[[nodiscard]] std::optional<Bytes> shift_jis_bytes(std::string_view text);

/// The western code page 1252, up to the first NUL.
[[nodiscard]] std::string latin_text(ByteView bytes);

/// The code page 437 of old systems, in which names in zip archives are without a word.
[[nodiscard]] std::string dos_text(ByteView bytes);

/// UTF-16, big-endian, up to the first zero. Broken pairs become `?`.
[[nodiscard]] std::string utf16be_text(ByteView bytes);

/// Text without blanks at its ends (also the wide blank of Japanese text).
[[nodiscard]] std::string trimmed(std::string text);

}  // namespace bayswap
