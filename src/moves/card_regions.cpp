#include "moves/card_regions.h"

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

bool is_sibling_code(const Save& save, const std::string& code, const Catalog& catalog) {
  const std::string& own = code_of(save.game);
  if (own.empty() || code == own) return false;
  if (own.size() == 4 && code.size() == 4 && own.substr(0, 3) == code.substr(0, 3)) return true;
  const CatalogGame* game = catalog.find_code(save.system, own);
  return game != nullptr && game == catalog.find_code(save.system, code);
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
    if (is_sibling_code(save, code_of(on_card.save.game), catalog) &&
        on_card.save.game.region != save.game.region)
      return region_differs(save, on_card.save.game.region,
                            "the card there holds a save of the one for");
  if (holds_it || !is_known(of_card) || of_card == save.game.region) return std::nullopt;
  return region_differs(save, of_card,
                        card.saves.empty() ? "the card there is by its name for"
                                           : "all saves of the card there are for");
}

}  // namespace bayswap
