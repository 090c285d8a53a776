#include "places/game_cards.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>
#include <tuple>

#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/model/sony_names.h"
#include "core/naming/tags.h"
#include "places/path_words.h"

namespace bayswap {
namespace {

std::string without_dash(const std::string& text) {
  std::string plain;
  for (const char c : text)
    if (c != '-') plain.push_back(c);
  return upper_ascii(plain);
}

bool is_of_one_game(const CardThere& card) {
  return std::ranges::all_of(
      card.games, [&](const Game& game) { return code_of(game) == code_of(card.games.front()); });
}

bool is_called_after_its_game(const CardThere& card, const std::string& name,
                              const Catalog& catalog) {
  return !card.games.empty() && is_name_of_game(name, card.system, card.games.front(), catalog);
}

// Letters and digits alone.
std::string plain_letters(const std::string& text) {
  std::string plain;
  for (const char c : upper_ascii(text))
    if ((c >= 'A' && c <= 'Z') || is_digit(c)) plain.push_back(c);
  return plain;
}

// Cards of one folder, system and kind, with one extension.
struct CardFolder {
  std::vector<std::size_t> cards;
  std::vector<CardName> names;
};

// The field that all names have in common.
std::string field_of(const CardFolder& folder, const std::vector<CardThere>& cards) {
  if (std::ranges::all_of(folder.names,
                          [](const CardName& name) { return is_serial(upper_ascii(name.game)); }))
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

// Saves of some systems bear no code and only a short name. There a folder of cards with tags in
// their names, with many names, or with names as their saves have, has a card for each game.
bool names_look_like_games(const CardFolder& folder, const std::vector<CardThere>& cards) {
  constexpr std::size_t kManyNames = 3;
  constexpr std::size_t kLeastLetters = 4;
  std::set<std::string> names;
  bool tags = false;
  std::size_t alike = 0;
  for (std::size_t i = 0; i < folder.cards.size(); ++i) {
    const CardThere& card = cards[folder.cards[i]];
    if (std::ranges::any_of(card.games, [](const Game& game) { return !code_of(game).empty(); }))
      return false;
    const std::string& name = folder.names[i].game;
    names.insert(name);
    tags = tags || untagged_name(name).size() < name.size();
    const std::string letters = plain_letters(untagged_name(name));
    alike += std::ranges::any_of(card.games, [&](const Game& game) {
      const std::string title = plain_letters(game.title).substr(0, letters.size());
      return title.size() >= kLeastLetters && letters.starts_with(title);
    });
  }
  return tags || names.size() >= kManyNames || (names.size() >= 2 && alike == folder.cards.size());
}

// The shelves of a folder's cards, by what stands between game and number.
void add_shelves(const CardFolder& folder, const std::vector<CardThere>& cards,
                 const Catalog& catalog, std::vector<SlotShelf>& shelves) {
  struct Alike {
    std::set<std::string> numbers;
    std::vector<std::size_t> cards;
  };
  std::map<std::pair<std::string, bool>, Alike> by_mark;  // and whether a number follows
  std::set<std::string> names;
  bool called_so = false;
  for (std::size_t i = 0; i < folder.cards.size(); ++i) {
    const CardThere& card = cards[folder.cards[i]];
    const CardName& name = folder.names[i];
    names.insert(name.game);
    called_so = called_so || is_called_after_its_game(card, name.game, catalog);
    const std::string stem = Path(card.relative).stem().string();
    Alike& alike =
        by_mark[{stem.substr(name.game.size(), name.at - name.game.size()), !name.number.empty()}];
    alike.numbers.insert(name.number);
    alike.cards.push_back(folder.cards[i]);
  }
  const std::string field = field_of(folder, cards);
  // One card may be called like its only game by chance.
  const bool called = called_so && (field != "{stem}" || names.size() >= 2);
  if (!called && !names_look_like_games(folder, cards)) return;
  const Path first(cards[folder.cards.front()].relative);
  const std::string place = first.parent_path().generic_string();
  for (const auto& [mark, alike] : by_mark) {
    const std::string slot = mark.second ? slot_field(alike.numbers) : std::string();
    if (mark.second && slot.empty()) continue;
    SlotShelf shelf{
        fmt::format("{}{}{}{}{}", literal_text(place + (place.empty() ? "" : "/")), field,
                    literal_text(mark.first), slot, literal_text(first.extension().string())),
        alike.cards};
    if (NamingPattern::parse(shelf.pattern)) shelves.push_back(std::move(shelf));
  }
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

bool same_game_name(const std::string& a, const std::string& b) {
  const Region one = region_of_name(a);
  const Region other = region_of_name(b);
  const std::string title = plain_title(untagged_name(a));
  return !title.empty() && title == plain_title(untagged_name(b)) &&
         (one == other || one == Region::unknown || other == Region::unknown);
}

std::vector<SlotShelf> shelves_of_game_cards(const std::vector<CardThere>& cards,
                                             const Catalog& catalog) {
  std::map<std::tuple<std::string, std::string, System, std::string>, CardFolder> folders;
  for (std::size_t i = 0; i < cards.size(); ++i) {
    // A card that games share may lie beside.
    if (!is_of_one_game(cards[i])) continue;
    const Path path(cards[i].relative);
    CardFolder& folder = folders[{path.parent_path().generic_string(), path.extension().string(),
                                  cards[i].system, cards[i].layout}];
    folder.cards.push_back(i);
    folder.names.push_back(read_card_name(path.stem().string()));
  }
  std::vector<SlotShelf> shelves;
  for (const auto& [key, folder] : folders) add_shelves(folder, cards, catalog, shelves);
  return shelves;
}

bool names_games(const Shelf& shelf) {
  for (const std::string_view field : {"{serial", "{code", "{stem"})
    if (shelf.pattern.find(field) != std::string::npos) return true;
  return false;
}

}  // namespace bayswap
