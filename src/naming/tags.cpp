#include "naming/tags.h"

#include <array>
#include <string>
#include <utility>

#include "bytes/text.h"

namespace bayswap {
namespace {

constexpr std::array<std::pair<std::string_view, Region>, 16> kWords{{
    {"america", Region::america},
    {"usa", Region::america},
    {"us", Region::america},
    {"u", Region::america},
    {"europe", Region::europe},
    {"eur", Region::europe},
    {"eu", Region::europe},
    {"e", Region::europe},
    {"japan", Region::japan},
    {"jpn", Region::japan},
    {"jp", Region::japan},
    {"j", Region::japan},
    {"korea", Region::korea},
    {"k", Region::korea},
    {"world", Region::any},
    {"w", Region::any},
}};

Region region_of_word(std::string_view word) {
  const std::string lower = lower_ascii(word);
  for (const auto& [text, region] : kWords)
    if (text == lower) return region;
  return Region::unknown;
}

}  // namespace

std::string untagged_name(const std::string& name) {
  const std::size_t tag = name.find_first_of("([");
  std::string title = name.substr(0, tag == 0 ? std::string::npos : tag);
  while (!title.empty() && title.back() == ' ') title.pop_back();
  return title;
}

Region region_of_name(std::string_view name) {
  Region found = Region::unknown;
  for (std::size_t at = name.find_first_of("(["); at != std::string_view::npos;
       at = name.find_first_of("([", at + 1)) {
    const std::size_t end = name.find_first_of(")]", at);
    if (end == std::string_view::npos) break;
    // `(America, Europe)` lists several regions: that is as good as any.
    std::string_view inside = name.substr(at + 1, end - at - 1);
    while (!inside.empty()) {
      const std::size_t comma = inside.find(',');
      std::string_view word = inside.substr(0, comma);
      while (word.starts_with(' ')) word.remove_prefix(1);
      const Region region = region_of_word(word);
      if (region != Region::unknown)
        found = found == Region::unknown || found == region ? region : Region::any;
      inside = comma == std::string_view::npos ? std::string_view{} : inside.substr(comma + 1);
    }
  }
  return found;
}

bool regions_agree(std::string_view one, std::string_view other) {
  const Region a = region_of_name(one);
  const Region b = region_of_name(other);
  return a == b || a == Region::unknown || b == Region::unknown || a == Region::any ||
         b == Region::any;
}

Region region_of_path(std::string_view path) {
  Region found = Region::unknown;
  while (!path.empty()) {
    const std::size_t end = path.find_first_of("/.-_ ");
    const std::string_view word = path.substr(0, end);
    path = end == std::string_view::npos ? std::string_view{} : path.substr(end + 1);
    const Region region = word.size() < 2 ? Region::unknown : region_of_word(word);
    if (region == Region::unknown || region == Region::any) continue;
    if (found != Region::unknown && found != region) return Region::unknown;
    found = region;
  }
  return found;
}

}  // namespace bayswap
