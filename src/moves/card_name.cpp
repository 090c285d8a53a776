#include "moves/card_name.h"

#include <algorithm>

#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "moves/card_unit.h"
#include "moves/regions.h"
#include "places/game_cards.h"

namespace bayswap {
namespace {

// A file's name that goes on as the save's own begins, or the other way round.
bool is_named_for_save(const Save& save, const std::string& title) {
  constexpr std::size_t kLeast = 3;
  const std::string name = plain_title(save.name);
  const std::string file = plain_title(title);
  const std::size_t both = std::min(name.size(), file.size());
  return both >= kLeast && name.substr(0, both) == file.substr(0, both);
}

// The source's own name, where it is a game's: with its tags where names there have some.
std::optional<std::string> source_name_like(const Source& source, const std::string& there) {
  const std::string own = read_card_name(source_stem(source)).game;
  const std::string title = untagged_name(own);
  const bool tagged = untagged_name(there).size() < there.size();
  const bool says_game = title.size() < own.size() || is_named_for_save(source.save, title);
  if (title.empty() || !says_game) return std::nullopt;
  return tagged ? own : title;
}

}  // namespace

std::optional<std::string> new_card_name(const CarryContext& context, const Source& source,
                                         const Fields& like) {
  const std::string& code = code_of(source.save.game);
  if (like.contains("code"))
    return source.save.game.code.empty() ? std::nullopt : std::optional(source.save.game.code);
  if (const auto serial = like.find("serial"); serial != like.end()) {
    if (code.empty()) return std::nullopt;
    const bool dash = serial->second.find('-') != std::string::npos;
    return dash ? code : replaced(code, "-", "");
  }
  // A disc or cartridge of the game says how programs call it.
  for (const RomFile* rom : context.there.roms_for(source.save.system))
    if (!code.empty() && (rom->info.game.serial == code || rom->info.game.code == code))
      return rom->stem;
  const CatalogGame* known = context.session.catalog.find_code(source.save.system, code);
  const std::string title = known != nullptr ? known->title : source.save.game.title;
  const std::string& name = like.at("stem");
  if (title.empty() || code.empty()) return source_name_like(source, name);
  const std::string tags = name.substr(untagged_name(name).size());
  // Another region's tags would be wrong.
  const Region tagged = region_of_name(name);
  if (is_known(tagged) && tagged != source.save.game.region) return std::nullopt;
  return title + tags;
}

}  // namespace bayswap
