#include "places/shelf_groups.h"

#include <algorithm>
#include <string_view>

#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "places/path_words.h"
#include "places/shelf_patterns.h"

namespace bayswap {
namespace {

// A layout id without its byte order: forms of one chip that only differ in order vote together.
std::string family_of(std::string_view id) {
  for (const std::string_view suffix : {"-swap16", "-swap32"})
    if (id.ends_with(suffix)) return std::string(id.substr(0, id.size() - suffix.size()));
  return std::string(id);
}

// How else the files of a group may be meant: where ROMs' names carry no tags, their saves read
// as titles too, and codes and hashes of digits only read the same in capitals and small letters.
std::vector<std::string> other_readings(const std::string& pattern, const ShelfGroup& group) {
  std::vector<std::string> readings{pattern};
  const auto add = [&](const std::string& what, const std::string& by) {
    for (std::size_t i = 0, known = readings.size(); i < known; ++i)
      if (readings[i].find(what) != std::string::npos)
        readings.push_back(replaced(readings[i], what, by));
  };
  if (group.titled == group.files) add("{stem}", "{title}");
  static const std::vector<std::pair<std::string, std::string>> kCases{
      {"code", "code:lower"},
      {"serial", "serial:lower"},
      {"crc32", "crc32:upper"},
      {"code:hex", "code:hex:upper"},
      {"serial:hex", "serial:hex:upper"},
      {"stem:hex", "stem:hex:upper"}};
  for (const auto& [field, other] : kCases)
    if (!group.spelled.contains(field)) add('{' + field + '}', '{' + other + '}');
  readings.erase(readings.begin());
  return readings;
}

// Whether a pattern has another text for each game.
bool names_games(const std::string& pattern) {
  for (const std::string_view field :
       {"{stem", "{title}", "{code", "{serial", "{crc32", "{md5", "{sha1"})
    if (pattern.find(field) != std::string::npos) return true;
  return false;
}

}  // namespace

void ShelfGroup::take(const ShelfGroup& other) {
  files += other.files;
  folders.insert(other.folders.begin(), other.folders.end());
  for (const auto& [id, count] : other.votes) votes[id] += count;
  for (const auto& [id, count] : other.evidence) evidence[id] += count;
  titled += other.titled;
  spelled.insert(other.spelled.begin(), other.spelled.end());
}

// One program keeps one byte order, so where the content of any file tells, it tells for all.
std::vector<std::string> ShelfGroup::layouts() const {
  std::map<std::string, std::pair<std::string, unsigned>> winners;
  for (const auto& [id, count] : votes) {
    const auto spoke = evidence.find(id);
    const unsigned weight = count + 1000 * (spoke == evidence.end() ? 0 : spoke->second);
    auto& winner = winners[family_of(id)];
    if (weight > winner.second) winner = {id, weight};
  }
  std::vector<std::pair<unsigned, std::string>> order;
  for (const auto& [family, winner] : winners)
    order.emplace_back(votes.at(winner.first), winner.first);
  std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
    return a.first != b.first ? a.first > b.first : a.second < b.second;
  });
  std::vector<std::string> ids;
  for (const auto& entry : order) ids.push_back(entry.second);
  return ids;
}

void ShelfGroups::note_region(const std::string& pattern, System system,
                              const std::string& regional, Region region) {
  Regional& known = regional_[{pattern, system}];
  known.pattern = regional;
  known.region = region;
  ++known.files;
}

void ShelfGroups::add_new(std::map<PatternOfSystem, ShelfGroup>&& others) {
  for (auto& [key, group] : others) groups_.try_emplace(key, std::move(group));
}

void ShelfGroups::merge() {
  merge_regions();
  merge_folders();
  merge_readings();
  merge_tags();
}

// Folders or words of one region may be called so by chance; those of several are regions.
void ShelfGroups::merge_regions() {
  struct Alike {
    std::set<Region> regions;
    std::vector<std::pair<PatternOfSystem, PatternOfSystem>> groups;  // with the region open, as is
    bool whole = true;  // each file lies where its ROM's region says
  };
  // Each folder of ROMs may have one region only, so folders are opened first.
  std::map<PatternOfSystem, std::set<SaveAndRomFolder>> folders;
  for (const auto& [key, regional] : regional_) {
    const auto& more = groups_.at(key).folders;
    folders[{regional.pattern, key.second}].insert(more.begin(), more.end());
  }
  std::map<PatternOfSystem, std::string> opened;
  std::vector<PlacedPattern> placed;
  for (const auto& [key, all] : folders) placed.push_back({key.first, key.second, all});
  const std::vector<std::string> read = with_rom_folders(placed);
  for (std::size_t i = 0; i < placed.size(); ++i)
    opened[{placed[i].pattern, placed[i].system}] = read[i];

  std::map<PatternOfSystem, Alike> classes;
  for (const auto& [key, regional] : regional_) {
    const System system = key.second;
    const ShelfGroup& group = groups_.at(key);
    const std::string& open = opened.at({regional.pattern, system});
    Alike& alike = classes[{any_reading(open), system}];
    alike.regions.insert(regional.region);
    alike.groups.push_back({{open, system}, key});
    alike.whole = alike.whole && regional.files == group.files;
  }
  for (const auto& [reading, alike] : classes) {
    if (alike.regions.size() < 2 || !alike.whole) continue;
    for (const auto& [open, key] : alike.groups) {
      groups_[open].take(groups_.at(key));
      groups_.erase(key);
    }
  }
}

// Saves of several programs keep their own byte orders, so those stay apart whose contents tell.
void ShelfGroups::merge_folders() {
  std::vector<PlacedPattern> placed;
  for (const auto& [key, group] : groups_) placed.push_back({key.first, key.second, group.folders});
  const std::vector<std::string> read = with_rom_folders(placed);
  std::map<PatternOfSystem, std::vector<PatternOfSystem>> habits;
  for (std::size_t i = 0; i < placed.size(); ++i)
    if (read[i] != placed[i].pattern)
      habits[{read[i], placed[i].system}].push_back({placed[i].pattern, placed[i].system});
  for (const auto& [open, keys] : habits) {
    std::map<std::string, std::set<std::string>> orders;  // that contents tell, by chips
    for (const PatternOfSystem& key : keys)
      for (const auto& [id, files] : groups_.at(key).evidence) orders[family_of(id)].insert(id);
    if (std::ranges::any_of(orders, [](const auto& one) { return one.second.size() > 1; }))
      continue;
    for (const PatternOfSystem& key : keys) {
      groups_[open].take(groups_.at(key));
      groups_.erase(key);
    }
  }
}

// Other files of the same habit tell which way.
void ShelfGroups::merge_readings() {
  for (auto group = groups_.begin(); group != groups_.end();) {
    const auto& [pattern, system] = group->first;
    auto into = groups_.end();
    for (const std::string& other : other_readings(pattern, group->second))
      if (into == groups_.end()) into = groups_.find({other, system});
    if (into == groups_.end()) {
      ++group;
      continue;
    }
    into->second.take(group->second);
    group = groups_.erase(group);
  }
}

// Titles with several tags behind them are names of another set of ROMs: the program takes
// the name as it is.
void ShelfGroups::merge_tags() {
  std::map<PatternOfSystem, std::vector<std::string>> tagged;
  for (const auto& [key, group] : groups_)
    if (std::string stem = with_tags_as_stem(key.first);
        stem != key.first && NamingPattern::parse(stem))
      tagged[{std::move(stem), key.second}].push_back(key.first);
  for (auto& [stem, patterns] : tagged) {
    const bool exact = groups_.contains(stem);
    if (patterns.size() + (exact ? 1 : 0) < 2) continue;
    if (std::string bare = replaced(stem.first, "{stem}", "{title}");
        !exact && groups_.contains({bare, stem.second}))
      patterns.push_back(std::move(bare));
    for (const std::string& pattern : patterns) {
      groups_[stem].take(groups_.at({pattern, stem.second}));
      groups_.erase({pattern, stem.second});
    }
  }
}

std::map<PatternOfSystem, std::size_t> ShelfGroups::unruly() const {
  std::map<PatternOfSystem, std::size_t> alike;
  for (const auto& [key, group] : groups_)
    if (group.files == 1 && names_games(key.first))
      for (std::string& open : with_a_word_open(key.first)) ++alike[{std::move(open), key.second}];
  std::erase_if(alike, [](const auto& one) {
    constexpr std::size_t kLeast = 3;
    return one.second < kLeast;
  });
  return alike;
}

}  // namespace bayswap
