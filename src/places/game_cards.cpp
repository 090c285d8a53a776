#include "places/game_cards.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/naming/tags.h"
#include "places/path_words.h"

namespace bayswap {
namespace {

bool is_digit(char c) {
  return c >= '0' && c <= '9';
}

std::string without_dash(const std::string& text) {
  std::string plain;
  for (const char c : text)
    if (c != '-') plain.push_back(c);
  return upper_ascii(plain);
}

bool is_serial(const std::string& text) {
  constexpr std::size_t kLetters = 4;
  constexpr std::size_t kLength = 9;
  const std::string plain = without_dash(text);
  return plain.size() == kLength && text.size() <= kLength + 1 &&
         std::all_of(plain.begin(), plain.begin() + kLetters,
                     [](char c) { return c >= 'A' && c <= 'Z'; }) &&
         std::all_of(plain.begin() + kLetters, plain.end(), is_digit);
}

bool is_of_one_game(const CardThere& card) {
  return std::ranges::all_of(
      card.games, [&](const Game& game) { return code_of(game) == code_of(card.games.front()); });
}

bool is_called_after_its_game(const CardThere& card, const std::string& name,
                              const Catalog& catalog) {
  return !card.games.empty() && is_name_of_game(name, card.system, card.games.front(), catalog);
}

// Cards of one folder, system and kind, with one extension.
struct Folder {
  std::vector<std::size_t> cards;
  std::vector<CardName> names;
};

// The field that all names have in common.
std::string field_of(const Folder& folder, const std::vector<CardThere>& cards) {
  if (std::ranges::all_of(folder.names, [](const CardName& name) { return is_serial(name.game); }))
    return "{serial}";
  bool codes = true;
  for (std::size_t i = 0; i < folder.cards.size(); ++i)
    for (const Game& game : cards[folder.cards[i]].games)
      codes = codes && folder.names[i].game == game.code;
  return codes && std::ranges::all_of(folder.names,
                                      [](const CardName& name) {
                                        return name.game.size() == 4 &&
                                               name.game == upper_ascii(name.game);
                                      })
             ? "{code}"
             : "{stem}";
}

}  // namespace

Game shown_game(const Save& save) {
  Game game = save.game;
  if (game.title.empty()) game.title = save.comment.substr(0, save.comment.find('\n'));
  return game;
}

const std::string& code_of(const Game& game) {
  return game.serial.empty() ? game.code : game.serial;
}

CardName read_card_name(const std::string& stem) {
  constexpr std::size_t kMostDigits = 2;
  std::size_t at = stem.size();
  while (at > 0 && is_digit(stem[at - 1])) --at;
  const auto is_mark = [](char c) { return c == '_' || c == '-' || c == ' ' || c == '.'; };
  const bool number =
      at < stem.size() && stem.size() - at <= kMostDigits && at > 0 && is_mark(stem[at - 1]);
  if (!number) return {stem, {}, stem.size()};
  std::size_t end = at;
  while (end > 0 && is_mark(stem[end - 1])) --end;
  return {stem.substr(0, end), stem.substr(at), at};
}

bool is_name_of_game(const std::string& name, System system, const Game& game,
                     const Catalog& catalog) {
  const std::string& code = code_of(game);
  if (!code.empty() && without_dash(name) == without_dash(code)) return true;
  const std::string plain = plain_title(untagged_name(name));
  if (plain.empty()) return false;
  // What a save shows often goes on behind the game's title.
  if (plain.size() >= kLeastWord && plain_title(game.title).starts_with(plain)) return true;
  const CatalogGame* known = code.empty() ? nullptr : catalog.find_code(system, code);
  return known != nullptr && plain_title(known->title) == plain;
}

std::vector<SlotShelf> shelves_of_game_cards(const std::vector<CardThere>& cards,
                                             const Catalog& catalog) {
  std::map<std::tuple<std::string, std::string, System, std::string>, Folder> folders;
  for (std::size_t i = 0; i < cards.size(); ++i) {
    const Path path(cards[i].relative);
    Folder& folder = folders[{path.parent_path().generic_string(), path.extension().string(),
                              cards[i].system, cards[i].layout}];
    folder.cards.push_back(i);
    folder.names.push_back(read_card_name(path.stem().string()));
  }
  std::vector<SlotShelf> shelves;
  for (const auto& [key, folder] : folders) {
    const auto& [place, extension, system, layout] = key;
    bool one_game_each = true;
    bool called_so = false;
    for (std::size_t i = 0; i < folder.cards.size(); ++i) {
      const CardThere& card = cards[folder.cards[i]];
      one_game_each = one_game_each && is_of_one_game(card);
      called_so = called_so || is_called_after_its_game(card, folder.names[i].game, catalog);
    }
    if (!one_game_each || !called_so) continue;
    const std::string field = field_of(folder, cards);
    // One card may be called like its only game by chance.
    std::set<std::string> names;
    for (const CardName& name : folder.names) names.insert(name.game);
    if (field == "{stem}" && names.size() < 2) continue;
    // Numbers after the same marks are slots of one shelf.
    std::map<std::string, std::pair<std::set<std::string>, std::vector<std::size_t>>> by_marks;
    for (std::size_t i = 0; i < folder.cards.size(); ++i) {
      const CardName& name = folder.names[i];
      const std::string stem = Path(cards[folder.cards[i]].relative).stem().string();
      auto& [numbers, members] =
          by_marks[stem.substr(name.game.size(), name.at - name.game.size()) +
                   (name.number.empty() ? "" : "#")];
      numbers.insert(name.number);
      members.push_back(folder.cards[i]);
    }
    for (const auto& [marks, of_marks] : by_marks) {
      const auto& [numbers, members] = of_marks;
      const bool numbered = marks.ends_with('#');
      const std::string slot = numbered ? slot_field(numbers) : std::string();
      if (numbered && slot.empty()) continue;
      const std::string mark = numbered ? marks.substr(0, marks.size() - 1) : marks;
      const std::string folder_of = place.empty() ? std::string() : literal_text(place) + "/";
      SlotShelf shelf{fmt::format("{}{}{}{}{}", folder_of, field, literal_text(mark), slot,
                                  literal_text(extension)),
                      members};
      if (NamingPattern::parse(shelf.pattern)) shelves.push_back(std::move(shelf));
    }
  }
  return shelves;
}

bool names_games(const Shelf& shelf) {
  for (const std::string_view field : {"{serial", "{code", "{stem"})
    if (shelf.pattern.find(field) != std::string::npos) return true;
  return false;
}

}  // namespace bayswap
