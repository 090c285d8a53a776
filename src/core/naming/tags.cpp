#include "core/naming/tags.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <optional>
#include <string>
#include <utility>

#include "core/bytes/text.h"

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

bool is_letter(char c) {
  return c >= 'a' && c <= 'z';
}
// Tags are in small letters from here on.

std::string disc_of_tag(std::string_view tag) {
  for (const std::string_view word : {"disc ", "disk ", "cd ", "side "}) {
    if (!tag.starts_with(word)) continue;
    const std::string_view disc = tag.substr(word.size());
    const std::string_view number = disc.substr(0, disc.find(' '));  // of `1 of 2`
    // One letter, or a number of at most two digits.
    if (number.size() == 1 && (is_letter(number[0]) || is_digit(number[0])))
      return std::string(number);
    if (number.size() == 2 && is_digit(number[0]) && is_digit(number[1]))
      return std::string(number);
  }
  return {};
}

// `rev 1`, `rev a`, `rev01`, `v1.1`; a version's number behind the point is its revision.
std::optional<unsigned> revision_of_tag(std::string_view tag) {
  std::string_view text;
  bool version = false;
  if (tag.starts_with("rev")) {
    text = tag.substr(3);
  } else if (tag.starts_with("version ") || (tag.size() > 1 && tag[0] == 'v' && is_digit(tag[1]))) {
    version = true;
    text = tag.substr(tag.starts_with("version ") ? 8 : 1);
  } else {
    return std::nullopt;
  }
  while (text.starts_with(' ')) text.remove_prefix(1);
  if (!version && text.size() == 1 && is_letter(text[0]))
    return static_cast<unsigned>(text[0] - 'a') + 1;
  if (version) {
    const std::size_t point = text.find('.');
    text = point == std::string_view::npos ? std::string_view("0") : text.substr(point + 1);
  }
  unsigned number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  return number;
}

struct Listed {
  Region region = Region::unknown;
  std::size_t languages = 0;
};

// Words between commas: regions, or languages with two letters each; `m3` is three languages.
Listed listed_in(std::string_view tag) {
  Listed listed;
  std::size_t words = 0;
  std::size_t pairs = 0;
  if (tag.size() == 2 && tag[0] == 'm' && is_digit(tag[1]))
    listed.languages = static_cast<std::size_t>(tag[1] - '0');
  while (!tag.empty()) {
    const std::size_t comma = tag.find(',');
    std::string_view word = tag.substr(0, comma);
    while (word.starts_with(' ')) word.remove_prefix(1);
    const Region region = region_of_word(word);
    if (region != Region::unknown)
      listed.region =
          listed.region == Region::unknown || listed.region == region ? region : Region::any;
    ++words;
    if (word.size() == 2 && is_letter(word[0]) && is_letter(word[1]) && region == Region::unknown)
      ++pairs;
    tag = comma == std::string_view::npos ? std::string_view{} : tag.substr(comma + 1);
  }
  if (words > 0 && words == pairs) listed.languages = words;
  return listed;
}

bool regions_agree(Region a, Region b) {
  return a == b || a == Region::unknown || b == Region::unknown || a == Region::any ||
         b == Region::any;
}

}  // namespace

std::string untagged_name(const std::string& name) {
  const std::size_t tag = name.find_first_of("([");
  std::string title = name.substr(0, tag == 0 ? std::string::npos : tag);
  while (!title.empty() && title.back() == ' ') title.pop_back();
  return title;
}

Region region_of_name(std::string_view name) {
  return tags_of_name(name).region;
}

NameTags tags_of_name(std::string_view name) {
  NameTags tags;
  for (std::size_t at = name.find_first_of("(["); at != std::string_view::npos;
       at = name.find_first_of("([", at + 1)) {
    const std::size_t end = name.find_first_of(")]", at);
    if (end == std::string_view::npos) break;
    const std::string tag = lower_ascii(name.substr(at + 1, end - at - 1));
    if (std::string disc = disc_of_tag(tag); !disc.empty()) {
      tags.disc = std::move(disc);
    } else if (const auto revision = revision_of_tag(tag)) {
      tags.revision = *revision;
    } else {
      // `(America, Europe)` lists several regions: that is as good as any.
      const Listed listed = listed_in(tag);
      if (listed.region != Region::unknown)
        tags.region = tags.region == Region::unknown || tags.region == listed.region ? listed.region
                                                                                     : Region::any;
      tags.languages = std::max(tags.languages, listed.languages);
    }
  }
  return tags;
}

bool says_no_game(std::string_view name) {
  static constexpr std::array<std::string_view, 24> kAnyones{
      "save",     "saves",   "sram",   "upload", "uploads", "download", "downloads", "backup",
      "backups",  "copy",    "file",   "game",   "data",    "dump",     "final",     "test",
      "untitled", "battery", "eeprom", "flash",  "slot",    "export",   "latest",    "temp"};
  constexpr std::size_t kShort = 3;  // letters
  if (region_of_name(name) != Region::unknown) return false;
  std::string word;
  for (const char c : lower_ascii(name) + " ") {
    const bool letter = (c >= 'a' && c <= 'z') || static_cast<unsigned char>(c) >= 0x80;
    if (letter) {
      word.push_back(c);
      continue;
    }
    if (word.size() > kShort && std::ranges::find(kAnyones, word) == kAnyones.end()) return false;
    word.clear();
  }
  return true;
}

bool tags_agree(std::string_view one, std::string_view other) {
  const NameTags a = tags_of_name(one);
  const NameTags b = tags_of_name(other);
  const bool discs = a.disc == b.disc || a.disc.empty() || b.disc.empty();
  return discs && regions_agree(a.region, b.region);
}

unsigned name_closeness(const std::string& one, const std::string& other) {
  const NameTags a = tags_of_name(one);
  const NameTags b = tags_of_name(other);
  // Each outweighs all that follow.
  unsigned closeness = lower_ascii(untagged_name(one)) == lower_ascii(untagged_name(other)) ? 1 : 0;
  // A name without a region may be of any.
  const bool same_region = a.region == b.region && a.region != Region::unknown;
  closeness = closeness * 3 + (same_region ? 2U : regions_agree(a.region, b.region) ? 1U : 0U);
  closeness = closeness * 2 + (a.disc == b.disc ? 1 : 0);
  closeness = closeness * 2 + (a.revision == b.revision ? 1 : 0);
  return closeness * 2 + (a.languages == b.languages ? 1 : 0);
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
