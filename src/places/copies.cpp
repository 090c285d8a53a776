#include "places/copies.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"

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

bool is_serial(std::string_view word) {
  return word.size() == 9 &&
         std::all_of(word.begin(), word.begin() + 4, [](char c) { return c >= 'A' && c <= 'Z'; }) &&
         std::all_of(word.begin() + 4, word.end(), [](char c) { return c >= '0' && c <= '9'; });
}

// Takes an id out of a word; false when it is none.
bool take_id(const std::string& word, TitleFolderName& found) {
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
    const TitleSystem* system = found.system ? title_system(*found.system) : nullptr;
    if (system == nullptr) return false;
    found.game.title_id = std::string(system->high) + digits;
    found.game.code = code_of_title(found.game.title_id);
    return true;
  }
  if (is_serial(upper_ascii(word))) {
    found.game.serial = upper_ascii(word);
    return true;
  }
  return false;
}

}  // namespace

TitleFolderName read_title_folder_name(const std::string& name, std::optional<System> system,
                                       const Catalog& catalog) {
  TitleFolderName found;
  found.system = system;
  std::string rest;
  std::string word;
  for (const char c : name + " ") {
    if (c != ' ' && c != '[' && c != ']' && c != '(' && c != ')' && c != '_' && c != '-') {
      word.push_back(c);
      continue;
    }
    if (!word.empty() && !take_id(word, found)) rest += (rest.empty() ? "" : " ") + word;
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

bool is_folder_of_title(const std::string& name, System system, const Game& game,
                        const Catalog& catalog) {
  const Game there = read_title_folder_name(name, system, catalog).game;
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

bool holds_copies(const Shelf& shelf) {
  return shelf.kind == Kind::folder && shelf.pattern.find("{copy}") != std::string::npos;
}

CopyShelves find_copy_shelves(const Path& place, const std::vector<WalkedFile>& files,
                              const Catalog& catalog, const std::function<bool(const Path&)>& taken,
                              std::optional<System> said) {
  struct Root {
    std::map<System, std::size_t> votes;
    std::set<std::string> titles;
  };
  std::map<std::string, Root> roots;  // by their relative paths, with `/` at their ends
  std::string last;
  for (const WalkedFile& file : files) {
    if (file.folder() == last) continue;
    last = file.folder();
    const Path folder(last);
    if (taken(folder)) continue;
    const auto names = names_in(below(place, folder / "x"));
    std::string root;
    // The title's folder, and in it the copy's.
    for (std::size_t i = 0; i + 2 < names.size(); ++i) {
      const TitleFolderName title = read_title_folder_name(names[i], said, catalog);
      const bool told = !title.game.title_id.empty() || !title.game.serial.empty() ||
                        (title.system && catalog.find(*title.system, title.game.title) != nullptr);
      const bool plain = said.has_value() && i + 3 == names.size();
      if (title.system && title_system(*title.system) != nullptr && (told || plain)) {
        ++roots[root].votes[*title.system];
        roots[root].titles.insert(names[i]);
        break;
      }
      root += names[i] + "/";
    }
  }
  CopyShelves found;
  for (const auto& [root, what] : roots) {
    const auto best =
        std::ranges::max_element(what.votes, {}, [](const auto& vote) { return vote.second; });
    Shelf shelf;
    shelf.system = best->first;
    shelf.kind = Kind::folder;
    shelf.pattern = literal_text(root) + "{title}/{copy}";
    shelf.layout = {std::string(title_system(best->first)->layout)};
    found.shelves.push_back(std::move(shelf));
    for (const std::string& title : what.titles) found.titles.push_back(place / (root + title));
  }
  return found;
}

}  // namespace bayswap
