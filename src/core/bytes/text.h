// Text from hostile bytes, made safe to compare and show.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

/// The bytes as printable ASCII, cut at the first NUL, without blanks at the ends. Other bytes
/// become `?`.
[[nodiscard]] std::string ascii_text(ByteView bytes);

/// The same with its blanks kept: names of files may begin or end with them.
[[nodiscard]] std::string name_text(ByteView bytes);

/// True when every byte is printable ASCII (0x20 to 0x7E).
[[nodiscard]] bool is_printable(ByteView bytes);

/// A letter in UTF-8.
struct Letter {
  std::size_t bytes = 1;
  char32_t point = 0;
  std::size_t columns = 1;  ///< on a terminal
  bool valid = false;       ///< false: a byte that belongs to no letter
};
/// `at` must be inside of the text.
[[nodiscard]] Letter letter_at(std::string_view text, std::size_t at);
/// Bytes of the whole character that begins there: a letter with its accents, a picture made of
/// several code points. `at` must be inside of the text, at the beginning of one.
[[nodiscard]] std::size_t character_bytes(std::string_view text, std::size_t at);
/// The longest beginning of at most so many bytes that ends between two letters.
[[nodiscard]] std::string_view whole_letters(std::string_view text, std::size_t bytes);

/// Whether all of it is UTF-8.
[[nodiscard]] bool is_utf8(ByteView bytes);

/// Text safe for a terminal: valid UTF-8 stays, control characters and broken sequences become `?`.
[[nodiscard]] std::string safe_text(std::string_view text);

/// An ASCII digit, whatever the locale.
[[nodiscard]] constexpr bool is_digit(char c) {
  return c >= '0' && c <= '9';
}
[[nodiscard]] std::string lower_ascii(std::string_view text);
/// The text with `by` for each `what`, from the left.
[[nodiscard]] std::string replaced(std::string text, std::string_view what, std::string_view by);
[[nodiscard]] std::string upper_ascii(std::string_view text);

/// Two lower-case digits for each byte.
[[nodiscard]] std::string hex_text(ByteView bytes);
/// The bytes that two hex digits each stand for; nothing for any other text.
[[nodiscard]] std::optional<Bytes> bytes_of_hex(std::string_view text);
[[nodiscard]] ByteView as_bytes(std::string_view text);

/// A title reduced to what people compare: lower-case words, without tags in round or square
/// brackets, punctuation or accents of spelling.
[[nodiscard]] std::string plain_title(std::string_view title);

/// What was said; nothing said is the empty text.
[[nodiscard]] const std::string& or_empty(const std::optional<std::string>& text);
const std::string& or_empty(std::string text) = delete;  // what it gives would be gone

/// The items with a separator between them.
[[nodiscard]] std::string joined(const std::vector<std::string>& items, std::string_view separator);

/// `12,345`.
[[nodiscard]] std::string grouped(std::uint64_t number);
/// `1 block`, `1,022 blocks`.
[[nodiscard]] std::string counted(std::uint64_t number, std::string_view word);
/// `512 B`, `32 KiB`, `290 KiB`, `8 MiB`; exact where it can be.
[[nodiscard]] std::string size_text(std::uint64_t bytes);
/// `a`, `a and b`, `a, b and c`.
[[nodiscard]] std::string list_text(const std::vector<std::string>& items);

}  // namespace bayswap
