#include "places/rom_folders.h"

#include <algorithm>
#include <map>
#include <string_view>
#include <tuple>

#include "bayswap/naming.h"
#include "bayswap/storage.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"

namespace bayswap {
namespace {

using FolderNames = std::vector<std::string>;

// One way to read a pattern: with the last folders of its ROMs open, below the others.
struct Opening {
  std::string pattern;
  std::string base;  // of the ROMs; "." is the place
};

FolderNames rom_names(const SaveAndRomFolder& folders) {
  FolderNames names = folders.rom == "." ? FolderNames{} : names_in(folders.rom);
  if (!names.empty() && folders.rom.starts_with('/')) names.front().insert(0, "/");
  return names;
}

std::string base_of(const FolderNames& rom, std::size_t tail) {
  return rom.size() == tail
             ? "."
             : joined(FolderNames(rom.begin(), rom.end() - static_cast<std::ptrdiff_t>(tail)));
}

// Whether the save's folders from `at` on are called as the last `tail` of its ROM.
bool has_tail(const FolderNames& save, std::size_t at, const FolderNames& rom, std::size_t tail) {
  return at + tail <= save.size() && tail <= rom.size() &&
         std::equal(rom.end() - static_cast<std::ptrdiff_t>(tail), rom.end(),
                    save.begin() + static_cast<std::ptrdiff_t>(at));
}

// Fields never reach over folders, so the pattern has as many names as each path.
std::vector<Opening> openings_of(const PlacedPattern& placed) {
  std::vector<Opening> found;
  if (placed.folders.empty()) return found;
  const FolderNames pattern = names_in(placed.pattern);
  const FolderNames save = names_in(placed.folders.begin()->save);
  const FolderNames rom = rom_names(*placed.folders.begin());
  for (std::size_t tail = 1; tail <= rom.size(); ++tail)
    for (std::size_t at = save.size(); at-- > 0;) {
      if (!has_tail(save, at, rom, tail)) continue;
      const std::string base = base_of(rom, tail);
      const bool all = std::ranges::all_of(placed.folders, [&](const SaveAndRomFolder& other) {
        const FolderNames other_rom = rom_names(other);
        return has_tail(names_in(other.save), at, other_rom, tail) &&
               base_of(other_rom, tail) == base;
      });
      FolderNames open(pattern.begin(), pattern.begin() + static_cast<std::ptrdiff_t>(at));
      open.emplace_back("{folder}");
      open.insert(open.end(), pattern.begin() + static_cast<std::ptrdiff_t>(at + tail),
                  pattern.end());
      if (all && NamingPattern::parse(joined(open))) found.push_back({joined(open), base});
      break;
    }
  return found;
}

}  // namespace

std::vector<FolderHabit> folder_habits(const PlacedPattern& placed) {
  std::vector<FolderHabit> habits;
  for (Opening& opening : openings_of(placed))
    habits.push_back({any_reading(std::move(opening.pattern)), std::move(opening.base)});
  return habits;
}

std::string common_rom_folder(const std::set<SaveAndRomFolder>& folders) {
  Path common = folders.begin()->rom;
  for (const SaveAndRomFolder& folder : folders) {
    Path shared;
    const Path other = folder.rom;
    auto a = common.begin();
    auto b = other.begin();
    for (; a != common.end() && b != other.end() && *a == *b; ++a, ++b) shared /= *a;
    common = shared;
  }
  return common.empty() ? "." : common.generic_string();
}

std::string any_reading(std::string pattern) {
  pattern = replaced(std::move(pattern), "{stem}", "{title}");
  for (const std::string_view change : {":upper}", ":lower}"})
    pattern = replaced(std::move(pattern), change, "}");
  return pattern;
}

std::vector<std::string> with_rom_folders(const std::vector<PlacedPattern>& placed) {
  using Habit = std::tuple<std::string, std::string, System>;  // any reading, base, system
  struct Member {
    std::size_t place;
    Opening opening;
  };
  std::map<Habit, std::vector<Member>> habits;
  for (std::size_t i = 0; i < placed.size(); ++i)
    for (Opening& opening : openings_of(placed[i])) {
      Habit habit{any_reading(opening.pattern), opening.base, placed[i].system};
      habits[std::move(habit)].push_back({i, std::move(opening)});
    }
  std::vector<std::string> read(placed.size());
  // How many folders a habit explains. Its base is what they have in common, and nothing above.
  const auto explains = [&](const auto& entry) -> std::size_t {
    std::set<SaveAndRomFolder> folders;
    std::size_t patterns = 0;
    for (const Member& member : entry.second) {
      if (!read[member.place].empty()) continue;
      const auto& more = placed[member.place].folders;
      folders.insert(more.begin(), more.end());
      ++patterns;
    }
    return patterns > 1 && common_rom_folder(folders) == std::get<1>(entry.first) ? folders.size()
                                                                                  : 0;
  };
  // The habit that explains most comes first; of equal ones that of the inner folders.
  while (true) {
    const auto best = std::ranges::max_element(habits, {}, [&](const auto& entry) {
      return std::pair(explains(entry), std::get<1>(entry.first).size());
    });
    if (best == habits.end() || explains(*best) == 0) break;
    for (const Member& member : best->second)
      if (read[member.place].empty()) read[member.place] = member.opening.pattern;
    habits.erase(best);
  }
  for (std::size_t i = 0; i < placed.size(); ++i)
    if (read[i].empty()) read[i] = placed[i].pattern;
  return read;
}

}  // namespace bayswap
