#include "places/title_trees.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>
#include <utility>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/model/sony_names.h"
#include "files/atomic_write.h"
#include "places/find_folders.h"

namespace bayswap {
namespace {

struct TitleSystem {
  System system;
  std::string_view prefix;  // of title ids
  std::string_view high;    // the usual high half
  std::string_view layout;
};
constexpr std::array<TitleSystem, 3> kSystems{{{System::n3ds, "0004", "00040000", "3ds-title"},
                                               {System::wiiu, "0005", "00050000", "wiiu-title"},
                                               {System::wii, "0001", "00010000", "wii-title"}}};

const TitleSystem* title_system(System system) {
  const auto found = std::ranges::find(kSystems, system, &TitleSystem::system);
  return found == kSystems.end() ? nullptr : &*found;
}

// The high half of a title id, as the folder above the low one.
const TitleSystem* system_of_high(std::string_view name) {
  if (!is_hex_name(name, 8)) return nullptr;
  const auto found = std::ranges::find_if(
      kSystems, [&](const TitleSystem& one) { return name.starts_with(one.prefix); });
  return found == kSystems.end() ? nullptr : &*found;
}

bool is_code(std::string_view word) {
  return word.size() == 4 && std::ranges::all_of(word, [](char c) {
           return (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9');
         });
}

// Accounts begin at 80000001; some programs count from 1. No title has such a number.
bool is_account(const std::string& number) {
  constexpr std::size_t kDigits = 8;
  return is_hex_name(number, kDigits) &&
         (number.starts_with("80000") || number.starts_with("00000"));
}

// A code, or the low half of an id, that the catalog knows.
const CatalogGame* known_game(const std::string& word, const std::string& digits,
                              std::optional<System> system, const Catalog& catalog) {
  for (const TitleSystem& one : kSystems) {
    if (system && *system != one.system) continue;
    const bool low = is_hex_name(digits, 8);
    if (!low && !is_code(word)) continue;
    if (const auto* game =
            catalog.find_code(one.system, low ? std::string(one.high) + digits : word))
      return game;
  }
  return nullptr;
}

// Takes an id out of a word; false when it is none.
bool take_id(const std::string& word, const Catalog& catalog, TitleFolderName& found) {
  const bool marked = word.starts_with("0x") || word.starts_with("0X");
  const std::string digits = lower_ascii(marked ? word.substr(2) : word);
  if (is_hex_name(digits, 16)) {
    for (const TitleSystem& one : kSystems)
      if (digits.starts_with(one.prefix)) {
        found.system = one.system;
        found.game.title_id = digits;
        found.game.code = code_of_title(digits);
        return true;
      }
    return false;
  }
  // A 3ds title without its type and its variation.
  if (marked && is_hex_name(digits, 5)) {
    found.system = System::n3ds;
    found.game.title_id = "000400000" + digits + "00";
    return true;
  }
  if (is_hex_name(digits, 8) && (marked || found.system)) {
    if (!found.system)
      if (const CatalogGame* known = known_game(word, digits, {}, catalog))
        found.system = known->system;
    const TitleSystem* system = found.system ? title_system(*found.system) : nullptr;
    if (system == nullptr || (system->system == System::wiiu && is_account(digits))) return false;
    found.game.title_id = std::string(system->high) + digits;
    found.game.code = code_of_title(found.game.title_id);
    return true;
  }
  if (is_serial(upper_ascii(word))) {
    found.game.serial = upper_ascii(word);
    return true;
  }
  if (const CatalogGame* known = known_game(word, digits, found.system, catalog);
      known != nullptr && is_code(word)) {
    found.system = known->system;
    found.game.code = word;
    for (const auto& [region, code] : known->codes)
      if (const auto id = known->title_ids.find(region);
          code == word && id != known->title_ids.end())
        found.game.title_id = id->second;
    return true;
  }
  return false;
}

// How the names of a level spell accounts: a pattern for them, empty when they are none.
std::string account_pattern(const std::set<std::string>& names) {
  constexpr std::size_t kDigits = 8;
  std::set<std::string> fronts;
  std::string digits;
  for (const std::string& name : names) {
    // What accounts share, and the title's own name and picture.
    if (name == kSharedFolder || name == "meta") continue;
    if (name.size() < kDigits) return {};
    const std::string number = name.substr(name.size() - kDigits);
    if (!is_account(number)) return {};
    std::string front = name.substr(0, name.size() - kDigits);
    const bool zeros = !front.empty() && front.find_first_not_of('0') == std::string::npos;
    const bool apart = front.ends_with('_') || front.ends_with('-') || front.ends_with(' ') ||
                       front == "0x" || front == "0X";
    if (!front.empty() && !zeros && !apart) return {};
    fronts.insert(std::move(front));
    digits += number;
  }
  if (fronts.size() != 1) return {};
  return literal_text(*fronts.begin()) + hex_field("account", digits);
}

bool are_numbers(const std::set<std::string>& names) {
  constexpr std::size_t kMostDigits = 3;
  return std::ranges::all_of(names, [](const std::string& name) {
    return name.size() <= kMostDigits && name.find_first_not_of("0123456789") == std::string::npos;
  });
}

using Names = std::vector<std::string>;

// Files that managers of saves put beside the copies: a title's picture, a note about it.
bool is_beside_copies(const std::string& name) {
  static constexpr std::array<std::string_view, 10> kExtensions{
      ".png", ".jpg", ".jpeg", ".bmp", ".txt", ".json", ".xml", ".ini", ".log", ".md"};
  const std::string plain = lower_ascii(name);
  return plain.starts_with('.') || std::ranges::any_of(kExtensions, [&](std::string_view one) {
           return plain.ends_with(one);
         });
}

// What lies below the titles' folders of one root.
struct Tree {
  std::map<System, std::size_t> votes;
  /// By the title's folder, empty where the place itself is one: the folders with files, from
  /// there.
  std::map<std::string, std::set<Names>> titles;
  std::set<std::string> loose;  // of these, those that files of a save lie right in
  std::set<std::string> taken;  // those that keep their saves as their console does
};
using Trees = std::map<std::pair<std::string, bool>, Tree>;  // by the pattern in front, `{title}`

// Every folder with files, and whether one of them may be of a save.
std::map<std::string, bool> folders_of(const std::vector<WalkedFile>& files) {
  std::map<std::string, bool> folders;
  for (const WalkedFile& file : files) {
    bool& has_save = folders[std::string(file.folder())];
    has_save = has_save || !is_beside_copies(file.name());
  }
  return folders;
}

// The levels below the titles' folders, as pieces of a pattern; nothing when they are none of a
// save.
std::optional<Names> levels_of(const Tree& tree, System system, bool account) {
  Names levels;
  // Where most titles have files of their own, these are the save.
  bool copy = tree.loose.size() * 2 > tree.titles.size();
  const bool plain = copy && !tree.titles.contains("");
  constexpr std::size_t kMost = 3;
  for (std::size_t level = 0; level < kMost; ++level) {
    std::set<std::string> names;
    std::set<std::string> next;
    bool files_here = false;
    for (const auto& [title, folders] : tree.titles)
      for (const Names& folder : folders) {
        if (folder.size() == level) files_here = true;
        if (folder.size() > level) names.insert(folder[level]);
        if (folder.size() > level + 1) next.insert(folder[level + 1]);
      }
    if (names.empty()) break;
    const bool accounts_here = !account && system == System::wiiu;
    if (const std::string pattern = accounts_here ? account_pattern(names) : std::string();
        !pattern.empty()) {
      levels.push_back(pattern);
      account = true;
    } else if (const bool fixed = names.size() == 1 && tree.titles.size() > 1 &&
                                  names.begin()->find_first_of("0123456789") == std::string::npos;
               fixed && accounts_here && !account_pattern(next).empty()) {
      levels.push_back(literal_text(*names.begin()));
    } else if (!copy && (level == 0 || (account && !files_here && are_numbers(names)))) {
      levels.push_back("{copy}");
      copy = true;
    } else {
      break;
    }
  }
  if (plain && levels.empty()) return levels;
  if (levels.empty() || levels.back().find('{') == std::string::npos) return std::nullopt;
  return levels;
}

// Slots of an account, in a place that does not say its title.
bool begins_with_account(const Names& names, std::optional<System> said) {
  return names.size() >= 2 && (!said || *said == System::wiiu) && is_account(names.front()) &&
         names.front().front() == '8' && are_numbers({names[1]});
}

// Where a title's folder stands among the names of a path.
struct TitlePlace {
  std::size_t at = 0;
  System system = System::n3ds;
};

// `above`: the folder that the names are in.
std::optional<TitlePlace> title_place(const Names& names, const std::string& above,
                                      std::optional<System> said, const Catalog& catalog) {
  if (const TitleSystem* high = system_of_high(above);
      high != nullptr && !names.empty() && is_hex_name(names.front(), 8))
    return TitlePlace{0, high->system};
  for (std::size_t i = 0; i < names.size(); ++i) {
    // The low half of an id below its high one.
    if (const TitleSystem* high = system_of_high(names[i]);
        high != nullptr && i + 1 < names.size() && is_hex_name(names[i + 1], 8))
      return TitlePlace{i + 1, high->system};
    const TitleFolderName title = read_title_folder_name(names[i], said, catalog);
    if (title.system && title_system(*title.system) != nullptr && title.is_told(catalog))
      return TitlePlace{i, *title.system};
  }
  if (!said || title_system(*said) == nullptr) return std::nullopt;
  // Where the user says the system: folders of files under hashes, or names of titles with copies.
  if (const auto hash = std::ranges::find_if(names, is_hash_name); hash != names.end())
    return TitlePlace{static_cast<std::size_t>(hash - names.begin()), *said};
  constexpr std::size_t kTitleAndCopy = 2;
  if (names.size() < kTitleAndCopy || begins_with_account(names, said)) return std::nullopt;
  return TitlePlace{names.size() - kTitleAndCopy, *said};
}

// The pattern of what stands in front of the title's folder.
std::string root_of(const Names& names, const TitlePlace& title) {
  std::string root;
  for (std::size_t i = 0; i < title.at; ++i) {
    const std::string account =
        title.system == System::wiiu ? account_pattern({names[i]}) : std::string();
    const bool open = !account.empty() && root.find("{account") == std::string::npos;
    root += (open ? account : literal_text(names[i])) + "/";
  }
  return root;
}

}  // namespace

bool TitleFolderName::is_told(const Catalog& catalog) const {
  return !game.title_id.empty() || !game.serial.empty() || !game.code.empty() ||
         (system && catalog.find(*system, game.title) != nullptr);
}

bool is_hash_name(const std::string& name) {
  constexpr std::size_t kLeast = 16;  // digits
  std::string digits;
  for (const char c : name)
    if (c != '-') digits.push_back(c);
  return digits.size() >= kLeast && is_hex_name(digits, digits.size()) &&
         !(digits.size() == kLeast && digits.starts_with("000"));
}

TitleFolderName read_title_folder_name(const std::string& name, std::optional<System> system,
                                       const Catalog& catalog) {
  TitleFolderName found;
  found.system = system;
  if (is_hash_name(name)) return found;
  std::string rest;
  std::string word;
  for (const char c : name + " ") {
    if (c != ' ' && c != '[' && c != ']' && c != '(' && c != ')' && c != '_' && c != '-') {
      word.push_back(c);
      continue;
    }
    if (!word.empty() && !take_id(word, catalog, found)) rest += (rest.empty() ? "" : " ") + word;
    word.clear();
  }
  found.game.title = rest;
  if (!found.system)
    for (const TitleSystem& one : kSystems)
      if (catalog.find(one.system, rest) != nullptr) found.system = one.system;
  if (found.system)
    for (const std::string& code : {found.game.title_id, found.game.serial, found.game.code})
      if (const CatalogGame* known = catalog.find_code(*found.system, code))
        found.game.title = known->title;
  return found;
}

std::optional<TitleInPath> title_in_path(const Path& path, std::optional<System> system,
                                         const Catalog& catalog) {
  constexpr int kNear = 4;  // a title, a copy, an account and a folder of files
  Path at = path;
  for (int k = 0; k < kNear && at.has_filename(); ++k, at = at.parent_path()) {
    const std::string name = at.filename().string();
    const std::string above = at.parent_path().filename().string();
    if (system_of_high(above) != nullptr && is_hex_name(name, 8)) {
      TitleFolderName found = read_title_folder_name(above + name, {}, catalog);
      if (found.system) return TitleInPath{std::move(found), at};
    }
    TitleFolderName found = read_title_folder_name(name, system, catalog);
    if (found.system && title_system(*found.system) != nullptr && found.is_told(catalog))
      return TitleInPath{std::move(found), at};
  }
  return std::nullopt;
}

bool is_same_title(const TitleFolderName& name, System system, const Game& game,
                   const Catalog& catalog) {
  const Game& there = name.game;
  if (!there.title_id.empty() && !game.title_id.empty()) return there.title_id == game.title_id;
  if (!there.serial.empty() && !game.serial.empty()) return there.serial == game.serial;
  const std::string plain = plain_title(there.title);
  if (plain.empty()) return false;
  if (plain == plain_title(game.title)) return true;
  for (const std::string& code : {game.title_id, game.serial, game.code})
    if (const CatalogGame* known = catalog.find_code(system, code);
        known != nullptr && plain_title(known->title) == plain)
      return true;
  return false;
}

bool is_title_tree(const Shelf& shelf) {
  if (shelf.kind != Kind::folder || shelf.layout.empty()) return false;
  const bool by_id = shelf.pattern.find("{title_id") != std::string::npos ||
                     shelf.pattern.find("{stem") != std::string::npos ||
                     shelf.pattern.find("{label") != std::string::npos;
  return !by_id && (shelf.pattern.find("{title}") != std::string::npos || holds_copies(shelf) ||
                    shelf.pattern.find("{account") != std::string::npos);
}

bool holds_copies(const Shelf& shelf) {
  return shelf.kind == Kind::folder && shelf.pattern.find("{copy}") != std::string::npos;
}

TitleFolderName title_on_tree(const Bay& bay, const Shelf& shelf, const Fields& fields,
                              const Catalog& catalog) {
  TitleFolderName found;
  if (const auto title = fields.find("title"); title != fields.end()) {
    const Names names = names_in((bay.place.filename() / shelf.pattern).generic_string());
    const auto at = std::ranges::find(names, "{title}");
    const bool low = at != names.end() && at != names.begin() &&
                     system_of_high(*std::prev(at)) != nullptr && is_hex_name(title->second, 8);
    found =
        read_title_folder_name((low ? *std::prev(at) : "") + title->second, shelf.system, catalog);
  } else if (auto above = title_in_path(bay.place, shelf.system, catalog)) {
    found = std::move(above->name);
  }
  if (const auto account = fields.find("account"); account != fields.end())
    found.game.account = account->second;
  return found;
}

TitleTrees find_title_trees(const Path& place, const std::vector<WalkedFile>& files,
                            const Catalog& catalog, const std::function<bool(const Path&)>& taken,
                            std::optional<System> said) {
  const auto above = title_in_path(place, said, catalog);
  const bool own = above && title_in_path(place.filename(), said, catalog).has_value();
  Trees trees;
  for (const auto& [folder, has_save] : folders_of(files)) {
    Names names = names_in(below(place, Path(folder) / "x"));
    names.pop_back();
    const auto title = title_place(names, place.filename().string(), said, catalog);
    const bool untold = !title && !above && begins_with_account(names, said);
    if (!title && !above && !untold) continue;
    const std::size_t from = title ? title->at + 1 : 0;
    Tree& tree = trees[{title ? root_of(names, *title) : std::string(), title.has_value()}];
    const std::string name = joined({names.begin(), names.begin() + std::ptrdiff_t(from)});
    if (taken(folder)) {
      tree.taken.insert(name);
      continue;
    }
    ++tree.votes[title ? title->system : above ? *above->name.system : System::wiiu];
    Names inside(names.begin() + std::ptrdiff_t(from), names.end());
    // A folder below the title's own is a copy of its save.
    if ((inside.empty() && has_save) || (!title && !own && !untold)) tree.loose.insert(name);
    tree.titles[name].insert(std::move(inside));
  }
  TitleTrees found;
  for (auto& [key, tree] : trees) {
    const auto& [root, titled] = key;
    for (const std::string& title : tree.taken) tree.titles.erase(title);
    if (tree.titles.empty()) continue;
    const System system = std::ranges::max_element(tree.votes, {}, [](const auto& vote) {
                            return vote.second;
                          })->first;
    const auto levels = levels_of(tree, system, root.find("{account") != std::string::npos);
    if (!levels) continue;
    Shelf shelf;
    shelf.system = system;
    shelf.kind = Kind::folder;
    shelf.pattern = root + (titled ? "{title}" : "") + (titled && !levels->empty() ? "/" : "") +
                    joined(*levels);
    shelf.layout = {std::string(title_system(system)->layout)};
    if (!NamingPattern::parse(shelf.pattern)) continue;
    found.shelves.push_back(std::move(shelf));
    for (const auto& [title, folders] : tree.titles) found.titles.push_back(place / title);
  }
  return found;
}

std::optional<Bay> tree_around(Storage& storage, const Path& folder, const Catalog& catalog) {
  std::error_code ignored;
  const Path full = std::filesystem::absolute(folder / "", ignored).lexically_normal();
  const auto title = title_in_path(full.parent_path(), {}, catalog);
  if (!title) return std::nullopt;
  const std::vector<WalkedFile> files = files_below(storage, title->folder);
  const std::vector<FoundFolder> taken = find_folders(storage, title->folder, files);
  Bay bay;
  bay.name = bay.place = title->folder;
  bay.shelves = find_title_trees(title->folder, files, catalog,
                                 [&](const Path& one) {
                                   return std::ranges::any_of(taken, [&](const FoundFolder& save) {
                                     return lies_in(save.path, one);
                                   });
                                 },
                                 {})
                    .shelves;
  return bay.shelves.empty() ? std::nullopt : std::optional(std::move(bay));
}

}  // namespace bayswap
