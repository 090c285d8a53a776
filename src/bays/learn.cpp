// Working out from a folder where a program keeps its saves.
#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "bays/file_names.h"
#include "bays/rom_index.h"
#include "bays/walk.h"
#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "bytes/text.h"
#include "cards/companion.h"
#include "folders/find_folders.h"
#include "layouts/folders/path_text.h"

namespace bayswap {
namespace {

struct Candidate {
  Path path;
  std::string relative;
};

struct Reading {
  std::string pattern;
  const RomFile* rom = nullptr;
};

struct Group {
  std::vector<Candidate> files;
  std::set<std::string> rom_folders;
  std::map<std::string, unsigned> votes;     // by layout id
  std::map<std::string, unsigned> evidence;  // votes in which the content itself spoke
};

bool word_char(char c) {
  return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') ||
         static_cast<unsigned char>(c) >= 0x80;
}

// The longest ROM name that stands in a path component as a whole word.
std::string stem_in(std::string_view component, const RomIndex& roms) {
  for (std::size_t length = component.size(); length > 0; --length) {
    for (std::size_t start = 0; start + length <= component.size(); ++start) {
      const bool whole_left =
          start == 0 || !word_char(component[start - 1]) || !word_char(component[start]);
      const std::size_t end = start + length;
      const bool whole_right =
          end == component.size() || !word_char(component[end]) || !word_char(component[end - 1]);
      if (whole_left && whole_right && roms.has_stem(component.substr(start, length)))
        return std::string(component.substr(start, length));
    }
  }
  return {};
}

std::string pattern_of(const std::string& relative, const std::string& stem) {
  std::string pattern;
  std::size_t at = 0;
  while (true) {
    const std::size_t found = relative.find(stem, at);
    pattern += literal_text(
        std::string_view(relative).substr(at, found == std::string::npos ? found : found - at));
    if (found == std::string::npos) return pattern;
    pattern += "{stem}";
    at = found + stem.size();
  }
}

std::string label_pattern(const std::string& relative, const std::string& label) {
  const std::size_t found = relative.rfind(label);
  return literal_text(std::string_view(relative).substr(0, found)) + "{label}" +
         literal_text(std::string_view(relative).substr(found + label.size()));
}

std::string stem_of_path(const std::string& relative, const RomIndex& roms) {
  // The file name says more than the folders above it.
  std::string_view rest = relative;
  while (true) {
    const std::size_t slash = rest.rfind('/');
    const std::string_view component =
        slash == std::string_view::npos ? rest : rest.substr(slash + 1);
    std::string stem = stem_in(component, roms);
    if (!stem.empty() || slash == std::string_view::npos) return stem;
    rest = rest.substr(0, slash);
  }
}

// Where a package lies: its profile and title in the names above it, and its own name last.
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

// A layout id without its byte order: forms of one chip that only differ in order vote together.
std::string family_of(std::string_view id) {
  for (const std::string_view suffix : {"-swap16", "-swap32"})
    if (id.ends_with(suffix)) return std::string(id.substr(0, id.size() - suffix.size()));
  return std::string(id);
}

// One program keeps one byte order, so where the content of any file tells, it tells for all.
std::vector<std::string> elected(const Group& group) {
  std::map<std::string, std::pair<std::string, unsigned>> winners;
  for (const auto& [id, votes] : group.votes) {
    const auto spoke = group.evidence.find(id);
    const unsigned weight = votes + 1000 * (spoke == group.evidence.end() ? 0 : spoke->second);
    auto& winner = winners[family_of(id)];
    if (weight > winner.second) winner = {id, weight};
  }
  std::vector<std::pair<unsigned, std::string>> order;
  for (const auto& [family, winner] : winners)
    order.emplace_back(group.votes.at(winner.first), winner.first);
  std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
    return a.first != b.first ? a.first > b.first : a.second < b.second;
  });
  std::vector<std::string> ids;
  for (const auto& entry : order) ids.push_back(entry.second);
  return ids;
}

std::string common_folder(const std::set<std::string>& folders) {
  Path common = *folders.begin();
  for (const std::string& folder : folders) {
    Path shared;
    const Path other = folder;
    auto a = common.begin();
    auto b = other.begin();
    for (; a != common.end() && b != other.end() && *a == *b; ++a, ++b) shared /= *a;
    common = shared;
  }
  return common.empty() ? "." : common.generic_string();
}

class Learner {
 public:
  Learner(Storage& storage, const Catalog& catalog, const Path& place)
      : storage_(storage), catalog_(catalog), place_(place) {}

  Result<std::vector<Shelf>> shelves() {
    walk_files(storage_, place_, true, [&](const Path& path, const FileInfo&) {
      if (auto rom = read_rom_file(storage_, path, catalog_)) {
        roms_.add(std::move(*rom));
      } else {
        candidates_.push_back({path, path.lexically_relative(place_).generic_string()});
      }
    });
    sort_in_folders();
    for (const Candidate& candidate : candidates_)
      if (!in_folder(candidate)) sort_in(candidate);
    std::vector<Shelf> found;
    for (const auto& [key, group] : groups_) {
      Shelf shelf;
      shelf.system = key.second;
      shelf.pattern = key.first;
      shelf.layout = elected(group);
      if (const auto layout = find_layout(shelf.layout.front()))
        shelf.kind = kind_on_shelf(shelf.pattern, **layout);
      if (!group.rom_folders.empty()) shelf.roms = common_folder(group.rom_folders);
      found.push_back(std::move(shelf));
    }
    return found;
  }

 private:
  // Saves that are folders: their path, or a file in them, says so.
  void sort_in_folders() {
    for (const FoundFolder& found : find_folders(storage_, place_)) {
      folders_.push_back(found.path);
      if (found.place.shared) continue;
      const auto save = read_found(storage_, found);
      if (!save) continue;
      const std::string relative = found.path.lexically_relative(place_).generic_string();
      const auto pattern = found.layout->pattern_of(relative, *save);
      if (!pattern || !NamingPattern::parse(*pattern)) continue;
      Group& group = groups_[{*pattern, found.layout->info().system}];
      group.files.push_back({found.path, relative});
      ++group.votes[found.layout->info().id];
    }
  }

  bool in_folder(const Candidate& candidate) const {
    return std::ranges::any_of(folders_, [&](const Path& folder) {
      return std::mismatch(folder.begin(), folder.end(), candidate.path.begin(),
                           candidate.path.end())
                 .first == folder.end();
    });
  }

  // A card that all games of a system share lies under one fixed name; a file of one save bears
  // that save's name.
  bool sort_in_card(const Candidate& candidate) {
    const auto view = storage_.view(candidate.path, kSaveLimit);
    if (!view) return false;
    Hints hints;
    hints.file_name = candidate.path.filename().string();
    hints.companion = read_companion(storage_, candidate.path);
    for (const Guess& guess : identify(view->bytes(), hints)) {
      const LayoutInfo& info = guess.layout->info();
      if (info.kind != Kind::card_save || guess.confidence == Confidence::possible) continue;
      std::string pattern = literal_text(candidate.relative);
      const CardLayout* card = as_card(guess.layout);
      if (card != nullptr && card->card_info().package) {
        const auto listed = card->list(view->bytes());
        if (!listed) return false;
        pattern = package_pattern(candidate.relative, listed->game);
      }
      if (card == nullptr) {
        const auto content = guess.layout->read(view->bytes(), hints);
        if (!content || content->saves.empty()) return false;
        const std::string& label = content->saves.front().name;
        if (label.size() < 4 || hints.file_name.find(label) == std::string::npos) return false;
        pattern = label_pattern(candidate.relative, label);
      }
      if (!NamingPattern::parse(pattern)) return false;
      Group& group = groups_[{pattern, info.system}];
      group.files.push_back(candidate);
      ++group.votes[info.id];
      return true;
    }
    return false;
  }

  void sort_in(const Candidate& candidate) {
    if (sort_in_named(candidate)) return;
    (void)sort_in_card(candidate);
  }

  bool sort_in_named(const Candidate& candidate) {
    const std::string stem = stem_of_path(candidate.relative, roms_);
    if (stem.empty()) return false;
    const std::string pattern = pattern_of(candidate.relative, stem);
    if (!NamingPattern::parse(pattern)) return false;
    const auto view = storage_.view(candidate.path, kSaveLimit);
    if (!view) return false;
    for (const RomFile* rom : roms_.matching(stem, std::nullopt)) {
      if (rom->stem != stem) continue;
      const auto guesses = identify(view->bytes(), hints_of(rom->info, catalog_));
      if (guesses.empty() || guesses.front().confidence == Confidence::possible) continue;
      Group& group = groups_[{pattern, rom->info.system}];
      group.files.push_back(candidate);
      group.rom_folders.insert(rom->path.parent_path().lexically_relative(place_).generic_string());
      const std::string& id = guesses.front().layout->info().id;
      ++group.votes[id];
      if (guesses.front().by_content) ++group.evidence[id];
      return true;
    }
    return false;
  }

  Storage& storage_;
  const Catalog& catalog_;
  Path place_;
  RomIndex roms_;
  std::vector<Candidate> candidates_;
  std::vector<Path> folders_;  // that are saves of their own
  std::map<std::pair<std::string, System>, Group> groups_;
};

}  // namespace

Result<Bay> learn_bay(Storage& storage, const Catalog& catalog, std::string name,
                      const Path& place) {
  if (!is_bay_name(name))
    return fail(Trouble::usage, "usage", fmt::format("'{}' cannot name a bay", safe_text(name)),
                "use letters, digits, '-' and '_'");
  std::error_code problem;
  Bay bay;
  bay.name = std::move(name);
  bay.place = std::filesystem::canonical(place, problem);
  if (problem) bay.place = place;
  if (const auto listed = storage.list(bay.place); !listed) return tl::unexpected(listed.error());
  auto shelves = Learner(storage, catalog, bay.place).shelves();
  if (!shelves) return tl::unexpected(shelves.error());
  bay.shelves = std::move(*shelves);
  const FileNames names = names_kept_by(storage, bay.place);
  for (Shelf& shelf : bay.shelves) shelf.names = names;
  survey_bay(storage, catalog, bay);
  if (bay.shelves.empty())
    return fail(
        Trouble::stopped, "no-match",
        fmt::format(
            "{}: nothing there is a memory card or a title's folder, and no save there carries the "
            "name of a ROM beside it",
            safe_text(bay.place.string())),
        "start a game there once and save in it, so that an example exists, then learn "
        "again; or write the shelf by hand in bays.toml");
  return bay;
}

}  // namespace bayswap
