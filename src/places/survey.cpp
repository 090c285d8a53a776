#include "places/survey.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "bayswap/layout.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "files/atomic_write.h"
#include "files/two_threads.h"
#include "places/find_folders.h"
#include "places/inspect.h"
#include "places/name_fields.h"
#include "places/path_words.h"
#include "places/second_file.h"
#include "places/title_trees.h"

namespace bayswap {
namespace {

constexpr std::size_t kExamples = 3;

struct Rule {
  Shelf* shelf = nullptr;
  NamingPattern pattern;
  const RomIndex* roms = nullptr;
};

// Whether a ROM is called so, so that its program sees the file: by its very name, or in its other
// words.
bool knows(Storage& storage, const Rule& rule, const Fields& fields, const Catalog& catalog) {
  const auto roms = roms_of_fields(storage, *rule.roms, rule.shelf->system, fields, catalog);
  const auto stem = fields.find("stem");
  if (stem == fields.end()) return !roms.empty();
  return std::ranges::any_of(roms, [&](const RomFile* rom) { return rom->stem == stem->second; });
}

// `matched`: a shelf's pattern fits, but no ROM is called so. `named`: the path has a ROM's name.
std::string reason_for(Storage& storage, const Path& path, bool matched, bool named) {
  const auto view = storage.view(path, kSaveLimit);
  if (!view) return "cannot be read";
  const auto [guesses, ordinary] = believable(view->bytes(), {});
  if (state_sign(path.filename().string(), view->bytes(), {}, {.ordinary = ordinary}) !=
      StateSign::none)
    return "a save state";
  if (guesses.empty() && !ordinary.empty()) return ordinary;
  if (matched) return "no ROM has this name";
  if (guesses.empty()) return "not recognised as a save";
  return named ? "a ROM has its name, but no shelf is sure" : "no ROM's name in its path";
}

// Whether a shelf has an account's folder where this one lies.
bool is_beside_accounts(const std::vector<Rule>& rules, const std::string& relative) {
  static constexpr std::string_view kAccount = "80000001";
  std::string account = relative.substr(0, relative.size() - kSharedFolder.size());
  account += kAccount;
  return std::ranges::any_of(rules, [&](const Rule& one) {
    return is_title_tree(*one.shelf) && one.pattern.match(account);
  });
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
    for (Path at = file.path().parent_path(); at != bay.place && at != at.parent_path();
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
      const bool shared = at.filename() == kSharedFolder && is_beside_accounts(rules, relative);
      if (shared || (folder && folder->place.shared)) found.push_back(relative);
    }
  return found;
}

// What the shelves make of a file.
struct Verdict {
  bool passed_over = false;        // a part of another save, or a ROM
  std::string relative;            // to the bay's place
  const Rule* by = nullptr;        // the one that explains it
  const Rule* matching = nullptr;  // else the first whose pattern fits
};

void judge(Storage& storage, const std::vector<Rule>& rules, const Catalog& catalog,
           Verdict& verdict) {
  for (const Rule& rule : rules) {
    const auto fields = rule.pattern.match(verdict.relative);
    if (!fields || rule.shelf->kind == Kind::folder) continue;
    if (verdict.matching == nullptr) verdict.matching = &rule;
    if (!rule.shelf->roms.empty() && !knows(storage, rule, *fields, catalog)) continue;
    verdict.by = &rule;
    return;
  }
}

// The ROMs of each folder that a shelf names.
std::map<std::string, RomIndex> roms_of_shelves(Storage& storage, const Catalog& catalog,
                                                const Bay& bay, const RomIndex& all) {
  std::map<std::string, RomIndex> indexes{{"", RomIndex{}}};
  std::vector<std::pair<const std::string, RomIndex>*> wanted;
  for (const Shelf& shelf : bay.shelves)
    if (const auto [entry, fresh] = indexes.try_emplace(shelf.roms); fresh)
      wanted.push_back(&*entry);
  on_two_threads(wanted.size(), [&](std::size_t i) {
    auto& [roms, index] = *wanted[i];
    const Path folder = roms == "." ? bay.place : bay.place / roms;
    index = lies_in(bay.place, folder) ? all.in(folder)
                                       : RomIndex::scan(storage, folder, true, catalog);
  });
  return indexes;
}

}  // namespace

void survey_bay(Storage& storage, const Catalog& catalog, Bay& bay) {
  const std::vector<WalkedFile> files = files_below(storage, bay.place);
  survey_files(storage, catalog, bay, files, RomIndex::of(storage, files, catalog));
}

void survey_files(Storage& storage, const Catalog& catalog, Bay& bay,
                  const std::vector<WalkedFile>& files, const RomIndex& all) {
  const auto indexes = roms_of_shelves(storage, catalog, bay, all);
  std::vector<Rule> rules;
  for (Shelf& shelf : bay.shelves) {
    shelf.explains = 0;
    shelf.of = 0;
    shelf.examples.clear();
    if (auto pattern = NamingPattern::parse(shelf.pattern))
      rules.push_back({&shelf, std::move(*pattern), &indexes.at(shelf.roms)});
  }
  bay.unexplained.clear();
  const auto folders = explained_folders(storage, bay, rules, files);
  std::vector<Verdict> verdicts(files.size());
  on_two_threads(files.size(), [&](std::size_t i) {
    const Path path = files[i].path();
    Verdict& verdict = verdicts[i];
    verdict.relative = below(bay.place, path);
    verdict.passed_over = std::ranges::any_of(folders,
                                              [&](const std::string& folder) {
                                                return verdict.relative.starts_with(folder + "/");
                                              }) ||
                          !first_file_of(storage, path).empty();  // its save is counted
    if (verdict.passed_over) return;
    judge(storage, rules, catalog, verdict);
    verdict.passed_over = verdict.by == nullptr && all.has_path(path);
  });
  std::vector<std::size_t> left;
  for (std::size_t i = 0; i < verdicts.size(); ++i) {
    const auto& [passed_over, relative, by, matching] = verdicts[i];
    if (passed_over) continue;
    if (const Rule* rule = by != nullptr ? by : matching) ++rule->shelf->of;
    if (by == nullptr) {
      left.push_back(i);
      continue;
    }
    ++by->shelf->explains;
    if (by->shelf->examples.size() < kExamples) by->shelf->examples.push_back(relative);
  }
  bay.unexplained.resize(left.size());
  on_two_threads(left.size(), [&](std::size_t i) {
    const Verdict& verdict = verdicts[left[i]];
    const bool named = !word_of_path(verdict.relative, [&](std::string_view word) {
                          return all.has_stem(word);
                        }).empty();
    bay.unexplained[i] =
        fmt::format("{}: {}", verdict.relative,
                    reason_for(storage, files[left[i]].path(), verdict.matching != nullptr, named));
  });
}

}  // namespace bayswap
