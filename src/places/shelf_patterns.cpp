#include "places/shelf_patterns.h"

#include <vector>

#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "places/path_words.h"

namespace bayswap {

std::string label_pattern(const std::string& relative, const std::string& label) {
  const std::size_t found = relative.rfind(label);
  return literal_text(std::string_view(relative).substr(0, found)) + "{label}" +
         literal_text(std::string_view(relative).substr(found + label.size()));
}

std::string with_region(const std::string& pattern, Region region) {
  if (region == Region::unknown || region == Region::other || region == Region::any) return {};
  const std::string word(to_string(region));
  for (const auto& [text, field] :
       {std::pair(word, "region"), std::pair(upper_ascii(word), "region:upper")}) {
    std::string regional = with_field(pattern, text, field);
    if (regional != pattern && NamingPattern::parse(regional)) return regional;
  }
  return {};
}

std::string single_pattern(const std::string& relative, const std::string& label,
                           const Game& game) {
  const std::string pattern = label_pattern(relative, label);
  // Only in the file's own name: `01` is a maker there, and a slot in a folder's.
  const std::size_t name = pattern.rfind('/') + 1;
  std::string own = pattern.substr(name);
  if (!game.code.empty()) own = with_field(own, game.code, "code");
  if (!game.serial.empty()) own = with_field(own, game.serial, "serial");
  if (game.maker.size() == 2) own = with_field(own, game.maker, "maker");
  std::string open = pattern.substr(0, name) + own;
  return NamingPattern::parse(open) ? open : pattern;
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
