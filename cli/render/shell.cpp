#include "cli/render/shell.h"

#include <algorithm>

#include "cli/render/style.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr unsigned char kLastAscii = 0x7F;

bool is_harmless(char c) {
  constexpr std::string_view kSigns = "_-./:,+@";
  const bool letter = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
  return letter || is_digit(c) || kSigns.find(c) != std::string_view::npos ||
         static_cast<unsigned char>(c) > kLastAscii;
}

}  // namespace

std::string shell_word(std::string_view text) {
  std::string word = safe_text(text);
  if (!word.empty() && std::ranges::all_of(word, is_harmless)) return word;
  // Between double quotes these still act: `!` recalls an earlier command.
  if (word.find_first_of("\"$`\\!") == std::string::npos) return '"' + word + '"';
  // These two go outside the quotes: fish gives `\` a meaning between single quotes.
  std::string quoted = "'";
  for (const char c : word) {
    if (c == '\'' || c == '\\')
      quoted += std::string("'\\") + c + "'";
    else
      quoted += c;
  }
  return quoted + "'";
}

std::string shell_path(const std::string& path) {
  const std::string shown = path_text(path);
  return shell_word(shown.starts_with('-') ? "./" + shown : shown);
}

}  // namespace bayswap::cli
