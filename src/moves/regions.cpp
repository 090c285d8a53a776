#include "moves/regions.h"

#include <fmt/core.h>

#include "places/game_cards.h"

namespace bayswap {

bool is_known(Region region) {
  return region != Region::unknown && region != Region::any;
}

Region common_region(const Card& card) {
  Region common = Region::unknown;
  for (const CardSave& on_card : card.saves) {
    const Region region = on_card.save.game.region;
    if (!is_known(region)) continue;
    if (is_known(common) && region != common) return Region::unknown;
    common = region;
  }
  return common;
}

bool are_siblings(System system, const std::string& one, const std::string& other,
                  const Catalog& catalog) {
  constexpr std::size_t kOfGame = 3;  // letters of a code; the last one is the region
  if (one.empty() || one == other) return false;
  if (one.size() == kOfGame + 1 && other.size() == one.size() &&
      one.substr(0, kOfGame) == other.substr(0, kOfGame))
    return true;
  const CatalogGame* game = catalog.find_code(system, one);
  return game != nullptr && game == catalog.find_code(system, other);
}

Finding region_differs(const Save& save, Region there, const std::string& why) {
  return {Level::error,
          Code::region_differs,
          fmt::format("the save belongs to the game for {}, but {} {}", to_string(save.game.region),
                      why, to_string(there)),
          {"a game does not see saves of another region: label it with '", Remedy::relabel,
           "' and carry that, or let it through with ", accept_remedy(Code::region_differs)}};
}

std::optional<Finding> region_differs_on_card(const Save& save, const Card& card, Region of_card,
                                              bool holds_it, const Catalog& catalog) {
  if (!is_known(save.game.region)) return std::nullopt;
  for (const CardSave& on_card : card.saves)
    if (are_siblings(save.system, code_of(save.game), code_of(on_card.save.game), catalog) &&
        on_card.save.game.region != save.game.region)
      return region_differs(save, on_card.save.game.region,
                            "the card there holds a save of the one for");
  if (holds_it || !is_known(of_card) || of_card == save.game.region) return std::nullopt;
  return region_differs(save, of_card,
                        card.saves.empty() ? "the card there is by its name for"
                                           : "all saves of the card there are for");
}

}  // namespace bayswap
