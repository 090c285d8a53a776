#include "core/bytes/text.h"

#include <fmt/core.h>

#include <algorithm>

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

struct Decoded {
  std::size_t length = 1;
  char32_t point = 0;
  bool valid = false;
};

Decoded decode_utf8(std::string_view text) {
  const auto byte_at = [&](std::size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned char lead = byte_at(0);
  if (lead < 0x80) return {1, lead, true};
  std::size_t length = 0;
  char32_t point = 0;
  if (lead >= 0xC2 && lead <= 0xDF) {
    length = 2;
    point = lead & 0x1FU;
  } else if (lead >= 0xE0 && lead <= 0xEF) {
    length = 3;
    point = lead & 0x0FU;
  } else if (lead >= 0xF0 && lead <= 0xF4) {
    length = 4;
    point = lead & 0x07U;
  }
  if (length == 0 || length > text.size()) return {};
  for (std::size_t i = 1; i < length; ++i) {
    if ((byte_at(i) & 0xC0U) != 0x80U) return {};
    point = point << 6U | (byte_at(i) & 0x3FU);
  }
  const bool overlong = (length == 3 && point < 0x800) || (length == 4 && point < 0x10000);
  const bool surrogate = point >= 0xD800 && point <= 0xDFFF;
  return {length, point, !overlong && !surrogate && point <= 0x10FFFF};
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

std::string safe_text(std::string_view text) {
  if (is_printable(as_bytes(text))) return std::string(text);  // as most texts are
  std::string safe;
  while (!text.empty()) {
    const Decoded found = decode_utf8(text);
    if (found.valid && !shows_badly(found.point)) {
      safe.append(text.substr(0, found.length));
    } else {
      safe.push_back('?');
    }
    text.remove_prefix(found.valid ? found.length : 1);
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
