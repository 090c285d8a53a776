#include "core/bytes/text.h"

#include <fmt/core.h>

#include <utf8proc.h>

#include <algorithm>
#include <charconv>

#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

bool printable(std::byte byte) {
  return byte >= std::byte{0x20} && byte <= std::byte{0x7E};
}

char lower_char(char c) {
  return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
}
char upper_char(char c) {
  return c >= 'a' && c <= 'z' ? static_cast<char>(c - 'a' + 'A') : c;
}

// Control characters, and the marks that reverse or hide text on a terminal.
bool shows_badly(char32_t point) {
  return point < 0x20 || (point >= 0x7F && point < 0xA0) || point == 0xAD || point == 0x061C ||
         point == 0x180E || (point >= 0x200B && point <= 0x200F) ||
         (point >= 0x2028 && point <= 0x202E) || (point >= 0x2060 && point <= 0x206F) ||
         point == 0xFEFF || (point >= 0xFFF9 && point <= 0xFFFB) ||
         (point >= 0xE0000 && point <= 0xE007F);
}

}  // namespace

std::string name_text(ByteView bytes) {
  std::string text;
  for (const std::byte byte : bytes) {
    if (byte == std::byte{0}) break;
    text.push_back(printable(byte) ? static_cast<char>(to_u8(byte)) : '?');
  }
  return text;
}

std::string ascii_text(ByteView bytes) {
  std::string text = name_text(bytes);
  while (!text.empty() && text.back() == ' ') text.pop_back();
  const std::size_t start = text.find_first_not_of(' ');
  return start == std::string::npos ? std::string{} : text.substr(start);
}

bool is_printable(ByteView bytes) {
  return std::all_of(bytes.begin(), bytes.end(), printable);
}

Letter letter_at(std::string_view text, std::size_t at) {
  utf8proc_int32_t point = 0;
  const auto* bytes = reinterpret_cast<const utf8proc_uint8_t*>(text.data()) + at;
  const utf8proc_ssize_t length =
      utf8proc_iterate(bytes, static_cast<utf8proc_ssize_t>(text.size() - at), &point);
  if (length <= 0) return {1, 0, 1, false};
  return {static_cast<std::size_t>(length), static_cast<char32_t>(point),
          static_cast<std::size_t>(std::max(0, utf8proc_charwidth(point))), true};
}

std::size_t character_bytes(std::string_view text, std::size_t at) {
  Letter letter = letter_at(text, at);
  std::size_t end = at + letter.bytes;
  utf8proc_int32_t state = 0;
  while (letter.valid && end < text.size()) {
    const Letter next = letter_at(text, end);
    if (!next.valid ||
        utf8proc_grapheme_break_stateful(static_cast<utf8proc_int32_t>(letter.point),
                                         static_cast<utf8proc_int32_t>(next.point), &state))
      break;
    end += next.bytes;
    letter = next;
  }
  return end - at;
}

std::string_view whole_letters(std::string_view text, std::size_t bytes) {
  std::size_t at = 0;
  while (at < text.size() && at + letter_at(text, at).bytes <= bytes)
    at += letter_at(text, at).bytes;
  return text.substr(0, at);
}

bool is_utf8(ByteView bytes) {
  const std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  for (std::size_t at = 0; at < text.size();) {
    const Letter letter = letter_at(text, at);
    if (!letter.valid) return false;
    at += letter.bytes;
  }
  return true;
}

std::string safe_text(std::string_view text) {
  if (is_printable(as_bytes(text))) return std::string(text);  // as most texts are
  std::string safe;
  while (!text.empty()) {
    const Letter letter = letter_at(text, 0);
    if (letter.valid && !shows_badly(letter.point)) {
      safe.append(text.substr(0, letter.bytes));
    } else {
      safe.push_back('?');
    }
    text.remove_prefix(letter.bytes);
  }
  return safe;
}

std::string replaced(std::string text, std::string_view what, std::string_view by) {
  for (std::size_t at = text.find(what); at != std::string::npos; at = text.find(what, at)) {
    text.replace(at, what.size(), by);
    at += by.size();
  }
  return text;
}

std::string lower_ascii(std::string_view text) {
  std::string out(text);
  std::transform(out.begin(), out.end(), out.begin(), lower_char);
  return out;
}

std::string upper_ascii(std::string_view text) {
  std::string out(text);
  std::transform(out.begin(), out.end(), out.begin(), upper_char);
  return out;
}

std::optional<Bytes> bytes_of_hex(std::string_view text) {
  if (text.size() % 2 != 0) return std::nullopt;
  Bytes bytes;
  for (; !text.empty(); text.remove_prefix(2)) {
    std::uint8_t value = 0;
    const auto read = std::from_chars(text.data(), text.data() + 2, value, 16);
    if (read.ec != std::errc{} || read.ptr != text.data() + 2) return std::nullopt;
    bytes.push_back(std::byte{value});
  }
  return bytes;
}

std::string hex_text(ByteView bytes) {
  static constexpr std::string_view kDigits = "0123456789abcdef";
  std::string text;
  text.reserve(bytes.size() * 2);
  for (const std::byte byte : bytes) {
    text.push_back(kDigits[to_u8(byte) >> 4U]);
    text.push_back(kDigits[to_u8(byte) & 0x0FU]);
  }
  return text;
}

ByteView as_bytes(std::string_view text) {
  return std::as_bytes(std::span(text));
}

std::string plain_title(std::string_view title) {
  std::string plain;
  int depth = 0;
  for (const char c : title) {
    if (c == '(' || c == '[') ++depth;
    const bool word = (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
                      static_cast<unsigned char>(c) >= 0x80;
    if (depth == 0 && word) {
      plain.push_back(lower_char(c));
    } else if (depth == 0 && c != '\'' && !plain.empty() && plain.back() != ' ') {
      plain.push_back(' ');
    }
    if ((c == ')' || c == ']') && depth > 0) --depth;
  }
  while (!plain.empty() && plain.back() == ' ') plain.pop_back();
  return plain;
}

std::string grouped(std::uint64_t number) {
  std::string text = std::to_string(number);
  for (std::size_t at = text.size(); at > 3;) {
    at -= 3;
    text.insert(at, 1, ',');
  }
  return text;
}

std::string counted(std::uint64_t number, std::string_view word) {
  return grouped(number) + " " + std::string(word) + (number == 1 ? "" : "s");
}

std::string size_text(std::uint64_t bytes) {
  constexpr std::uint64_t kKib = 1024;
  constexpr std::uint64_t kMib = kKib * 1024;
  if (bytes >= kMib && bytes % kMib == 0) return fmt::format("{} MiB", grouped(bytes / kMib));
  if (bytes >= kMib * 10) return fmt::format("{:.1f} MiB", static_cast<double>(bytes) / kMib);
  if (bytes >= kKib && bytes % kKib == 0) return fmt::format("{} KiB", grouped(bytes / kKib));
  if (bytes < kKib * 100) return fmt::format("{} B", grouped(bytes));
  return fmt::format("{:.1f} KiB", static_cast<double>(bytes) / kKib);
}

const std::string& or_empty(const std::optional<std::string>& text) {
  static const std::string kNothing;
  return text ? *text : kNothing;
}

std::string joined(const std::vector<std::string>& items, std::string_view separator) {
  std::string text;
  for (const std::string& item : items) {
    if (!text.empty()) text += separator;
    text += item;
  }
  return text;
}

std::string list_text(const std::vector<std::string>& items) {
  std::string text;
  for (std::size_t i = 0; i < items.size(); ++i) {
    if (i > 0) text += i + 1 == items.size() ? " and " : ", ";
    text += items[i];
  }
  return text;
}

}  // namespace bayswap
