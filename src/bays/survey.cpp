#include "bays/survey.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "bays/name_fields.h"
#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "bytes/text.h"
#include "cards/companion.h"
#include "folders/find_folders.h"
#include "look/inspect.h"
#include "storage/atomic_write.h"
#include "storage/two_threads.h"

namespace bayswap {
namespace {

constexpr std::size_t kExamples = 3;

struct Rule {
  Shelf* shelf = nullptr;
  NamingPattern pattern;
  const RomIndex* roms = nullptr;
};

// Whether a ROM is called so: by its exact name, or in its other words.
bool knows(const Rule& rule, const Fields& fields, const Catalog& catalog) {
  const auto roms = roms_of_fields(*rule.roms, rule.shelf->system, fields, catalog);
  const auto stem = fields.find("stem");
  if (stem == fields.end()) return !roms.empty();
  return std::ranges::any_of(roms, [&](const RomFile* rom) { return rom->stem == stem->second; });
}

std::string reason_for(Storage& storage, const Path& path, bool matched) {
  const auto view = storage.view(path, kSaveLimit);
  if (!view) return "cannot be read";
  if (state_sign(path.filename().string(), view->bytes(), {}, {}) != StateSign::none)
    return "a save state";
  if (matched) return "no ROM has this name";
  return identify(view->bytes(), {}).empty() ? "no save that is known"
                                             : "no ROM's name in its path";
}

// Folders that are saves, each counted once for the shelf that explains it. What a title's accounts
// share is explained by its neighbours.
std::vector<std::string> explained_folders(Storage& storage, const Bay& bay,
                                           const std::vector<Rule>& rules,
                                           const std::vector<WalkedFile>& files) {
  std::vector<std::string> found;
  if (std::ranges::none_of(rules,
                           [](const Rule& rule) { return rule.shelf->kind == Kind::folder; }))
    return found;
  std::set<std::string> seen;
  for (const WalkedFile& file : files)
    for (Path at = file.path.parent_path(); at != bay.place && at != at.parent_path();
         at = at.parent_path()) {
      const std::string relative = below(bay.place, at);
      if (!seen.insert(relative).second) break;
      const auto rule = std::ranges::find_if(rules, [&](const Rule& one) {
        return one.shelf->kind == Kind::folder && one.pattern.match(relative);
      });
      if (rule != rules.end()) {
        found.push_back(relative);
        ++rule->shelf->explains;
        ++rule->shelf->of;
        if (rule->shelf->examples.size() < kExamples) rule->shelf->examples.push_back(relative);
        break;
      }
      const auto folder = folder_at(storage, at);
      if (folder && folder->place.shared) found.push_back(relative);
    }
  return found;
}

// A file that no shelf explains.
struct Leftover {
  Path path;
  std::string relative;
  bool matched = false;  // a shelf's pattern fits, but no ROM is called so
};

// Counts the file for the shelf that explains it. `first`: one whose pattern fits at least.
bool explained(std::vector<Rule>& rules, const std::string& relative, const Catalog& catalog,
               Rule*& first) {
  for (Rule& rule : rules) {
    const auto fields = rule.pattern.match(relative);
    if (!fields || rule.shelf->kind == Kind::folder) continue;
    if (first == nullptr) first = &rule;
    if (!rule.shelf->roms.empty() && !knows(rule, *fields, catalog)) continue;
    ++rule.shelf->explains;
    ++rule.shelf->of;
    if (rule.shelf->examples.size() < kExamples) rule.shelf->examples.push_back(relative);
    return true;
  }
  return false;
}

}  // namespace

void survey_bay(Storage& storage, const Catalog& catalog, Bay& bay) {
  const std::vector<WalkedFile> files = files_below(storage, bay.place);
  survey_files(storage, catalog, bay, files, RomIndex::of(storage, files, catalog));
}

void survey_files(Storage& storage, const Catalog& catalog, Bay& bay,
                  const std::vector<WalkedFile>& files, const RomIndex& all) {
  std::map<std::string, RomIndex> indexes;
  std::vector<Rule> rules;
  for (Shelf& shelf : bay.shelves) {
    shelf.explains = 0;
    shelf.of = 0;
    shelf.examples.clear();
    auto pattern = NamingPattern::parse(shelf.pattern);
    if (!pattern) continue;
    RomIndex& index = indexes[shelf.roms];
    if (!shelf.roms.empty() && index.roms().empty()) {
      const Path folder = shelf.roms == "." ? bay.place : bay.place / shelf.roms;
      index = lies_in(bay.place, folder) ? all.in(folder)
                                         : RomIndex::scan(storage, folder, true, catalog);
    }
    rules.push_back({&shelf, std::move(*pattern), &index});
  }
  bay.unexplained.clear();
  const auto folders = explained_folders(storage, bay, rules, files);
  std::vector<Leftover> left;
  for (const auto& [path, info] : files) {
    std::string relative = below(bay.place, path);
    if (std::ranges::any_of(
            folders, [&](const std::string& folder) { return relative.starts_with(folder + "/"); }))
      continue;
    if (!companion_of(storage, path).empty()) continue;  // its save is counted
    Rule* first = nullptr;
    if (explained(rules, relative, catalog, first) || all.has_path(path)) continue;
    if (first != nullptr) ++first->shelf->of;
    left.push_back({path, std::move(relative), first != nullptr});
  }
  bay.unexplained.resize(left.size());
  on_two_threads(left.size(), [&](std::size_t i) {
    bay.unexplained[i] =
        fmt::format("{}: {}", left[i].relative, reason_for(storage, left[i].path, left[i].matched));
  });
}

}  // namespace bayswap
