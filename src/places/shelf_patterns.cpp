#include "places/shelf_patterns.h"

#include <vector>

#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "places/path_words.h"

namespace bayswap {

std::string label_pattern(const std::string& relative, const std::string& label) {
  const std::size_t found = relative.rfind(label);
  return literal_text(std::string_view(relative).substr(0, found)) + "{label}" +
         literal_text(std::string_view(relative).substr(found + label.size()));
}

std::string package_pattern(const std::string& relative, const Game& game) {
  const std::string low = game.title_id.size() == 16 ? game.title_id.substr(8) : std::string();
  std::vector<std::string> names = names_in(relative);
  std::string hex;  // together they show whether capitals are used
  for (const std::string& name : names)
    if (is_hex_name(name, 16) || lower_ascii(name) == low) hex += name;
  for (std::string& name : names) {
    const std::string plain = lower_ascii(name);
    if (plain == game.title_id)
      name = hex_field("title_id", hex);
    else if (is_hex_name(name, 16))
      name = hex_field("profile", hex);  // also where the package was made for another one
    else if (plain == low)
      name = hex_field("title_id:low", hex);
    else
      name = literal_text(name);
  }
  names.back() = "{label}";
  return joined(names);
}

std::string with_tags_as_stem(const std::string& pattern) {
  static constexpr std::string_view kTitle = "{title}";
  std::string changed = pattern;
  for (std::size_t at = changed.find(kTitle); at != std::string::npos;
       at = changed.find(kTitle, at + 1)) {
    const std::size_t from = at + kTitle.size();
    std::size_t end = from;
    while (true) {
      const std::size_t open = end + (changed.compare(end, 1, " ") == 0 ? 1 : 0);
      if (changed.compare(open, 1, "(") != 0 && changed.compare(open, 1, "[") != 0) break;
      const std::size_t close = changed.find_first_of(")]", open);
      // One number in brackets is a slot.
      const bool number = changed.find_first_not_of("0123456789", open + 1) == close;
      constexpr std::size_t kYear = 4;  // digits
      if (close == std::string::npos || (number && close - open - 1 < kYear)) break;
      end = close + 1;
    }
    if (end > from) changed.replace(at, end - at, "{stem}");
  }
  return changed;
}

}  // namespace bayswap
