// Cards that hold the saves of one game each, and bear its name.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/catalog.h"
#include "places/slot_shelves.h"

namespace bayswap {

/// A card in a place, and what its saves say of their games.
struct CardThere {
  std::string relative;  ///< to the place
  System system = System::ps1;
  std::string layout;
  std::vector<Game> games;  ///< of its saves, with what they show as a title
};

/// A card's name in its parts: the game, and the number behind it.
struct CardName {
  std::string game;    ///< serial, code or title, with its tags
  std::string number;  ///< digits; may be empty
  std::size_t at = 0;  ///< where the number stands
};
[[nodiscard]] CardName read_card_name(const std::string& stem);

/// Whether a name is that of a game: by its serial, its code or its title.
[[nodiscard]] bool is_name_of_game(const std::string& name, System system, const Game& game,
                                   const Catalog& catalog);

/// Whether two names of files mean one game: the same title, and no other region in their tags.
[[nodiscard]] bool same_game_name(const std::string& a, const std::string& b);

/// A save's game, with what the save shows where it has no title.
[[nodiscard]] Game shown_game(const Save& save);

/// The code or the serial of a game; empty when it has none.
[[nodiscard]] const std::string& code_of(const Game& game);

/// The shelves of such cards: `{serial}_{slot}`, `{code}`, `{stem}_{slot}`. A folder has one when a
/// card in it is called after its game. Cards that several games share are left out.
[[nodiscard]] std::vector<SlotShelf> shelves_of_game_cards(const std::vector<CardThere>& cards,
                                                           const Catalog& catalog);

/// Whether a shelf of cards names their games.
[[nodiscard]] bool names_games(const Shelf& shelf);

}  // namespace bayswap
