// Title ids in all their spellings.
#include <algorithm>

#include "bayswap/folder.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

bool is_hex(std::string_view text) {
  return std::ranges::all_of(text, [](char c) {
    return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f') || (c >= 'A' && c <= 'F');
  });
}

bool is_code(std::string_view text) {
  return text.size() == 4 && std::ranges::all_of(text, [](char c) {
           return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
         });
}

}  // namespace

std::optional<std::string> parse_title_id(std::string_view text, std::string_view high) {
  if (text.starts_with("0x") || text.starts_with("0X")) text.remove_prefix(2);
  std::string digits;
  for (const char c : text)
    if (c != '/' && c != '-') digits.push_back(c);
  if (is_code(text) && high.size() == 8) return lower_ascii(high) + hex_text(as_bytes(text));
  if (!is_hex(digits)) return std::nullopt;
  if (digits.size() == 16) return lower_ascii(digits);
  if (digits.size() == 8 && high.size() == 8) return lower_ascii(high) + lower_ascii(digits);
  return std::nullopt;
}

std::string code_of_title(std::string_view title_id) {
  std::string code;
  for (std::size_t i = 8; i + 1 < title_id.size(); i += 2) {
    const auto digit = [](char c) { return c <= '9' ? c - '0' : c - 'a' + 10; };
    code.push_back(static_cast<char>(digit(title_id[i]) * 16 + digit(title_id[i + 1])));
  }
  return is_code(code) ? code : std::string();
}

}  // namespace bayswap
