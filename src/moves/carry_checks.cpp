#include "moves/carry_checks.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

std::string chip_name(const Chip& chip) {
  return chip.size == 0 ? chip.part : fmt::format("{} of {}", chip.part, size_text(chip.size));
}

bool is_cartridge_chip(const Part& part) {
  return part.name != "clock" && !part.name.starts_with("pak");
}

Finding other_game(const RomFile& from, const RomFile& to) {
  return {
      Level::error,
      Code::other_game,
      fmt::format("the save belongs to {} ({}), the ROM there is {} ({})", from.info.game.title,
                  from.info.game.code.empty() ? "no code" : from.info.game.code, to.info.game.title,
                  to.info.game.code.empty() ? "no code" : to.info.game.code),
      {"carry it to the ROM it belongs to: choose that one with ", Remedy::rom, " or ",
       Remedy::game}};
}

Finding region_differs(const RomFile& from, const RomFile& to) {
  const auto region = [](const RomFile& rom) {
    const std::string_view name = to_string(rom.info.game.region);
    return name.empty() ? std::string("unknown region") : std::string(name);
  };
  return {Level::error,
          Code::region_differs,
          fmt::format("the save belongs to the game for {}, the ROM there is the one for {}",
                      region(from), region(to)),
          {"many games refuse or misread a save of another region; get the matching ROM, or try it "
           "with ",
           accept_remedy(Code::region_differs)}};
}

}  // namespace

bool Checks::add(Finding finding) {
  const bool accepted = accept_.contains(finding.code);
  finding.level = accepted ? Level::warn : Level::error;
  found_.push_back(std::move(finding));
  stopped_ = stopped_ || !accepted;
  return !accepted;
}

std::optional<Finding> compare_games(const RomFile& from, const RomFile& to,
                                     const Catalog& catalog) {
  const Game& a = from.info.game;
  const Game& b = to.info.game;
  const bool coded =
      !a.code.empty() && !b.code.empty() && !from.info.shared_code && !to.info.shared_code;
  if (coded && a.code == b.code) return std::nullopt;
  if (coded) {
    const CatalogGame* known = catalog.find(from.info);
    const bool siblings = a.code.substr(0, 3) == b.code.substr(0, 3) ||
                          (known != nullptr && known == catalog.find(to.info));
    return siblings ? region_differs(from, to) : other_game(from, to);
  }
  const bool same_title =
      plain_title(a.title) == plain_title(b.title) ||
      (catalog.find(from.info) != nullptr && catalog.find(from.info) == catalog.find(to.info));
  if (!same_title) return other_game(from, to);
  const bool regions_known = a.region != Region::unknown && b.region != Region::unknown &&
                             a.region != Region::any && b.region != Region::any;
  if (regions_known && a.region != b.region) return region_differs(from, to);
  return std::nullopt;
}

std::optional<Finding> compare_chips(const Source& source, const Hints& game) {
  if (!game.chips) return std::nullopt;
  const std::string by = game.chips_from_header ? "its ROM header" : "the catalog";
  std::vector<std::string> names;
  for (const Chip& chip : *game.chips)
    if (chip.part != "clock") names.push_back(chip_name(chip));
  for (const Part& part : source.save.parts) {
    if (part.blank || !is_cartridge_chip(part)) continue;
    const auto chip = std::find_if(game.chips->begin(), game.chips->end(),
                                   [&](const Chip& c) { return c.part == part.name; });
    Finding differs{Level::error, Code::chip_differs, "",
                    "check that the save belongs to this game, and that the dump is whole"};
    if (chip == game.chips->end()) {
      differs.text = fmt::format("the save is {} of {}, but by {} the game there keeps {}",
                                 part.name, size_text(part.data.size()), by,
                                 names.empty() ? std::string("nothing") : list_text(names));
      return differs;
    }
    if (chip->size == 0 || chip->size == part.data.size()) continue;
    const bool larger = part.data.size() > chip->size;
    const bool padded = larger && can_shrink(part.data, static_cast<std::size_t>(chip->size));
    if (padded || (!larger && source.container)) continue;
    differs.text =
        fmt::format("the save is {} of {}, but by {} the game's {} holds {}",
                    size_text(part.data.size()), part.name, by, part.name, size_text(chip->size));
    return differs;
  }
  return std::nullopt;
}

std::string chip_text(const Save& save, const Hints& game) {
  std::vector<std::string> carried;
  for (const Part& part : save.parts)
    if (!part.blank && is_cartridge_chip(part))
      carried.push_back(fmt::format("{} of {}", part.name, size_text(part.data.size())));
  if (game.chips && !game.chips->empty()) {
    std::vector<std::string> names;
    for (const Chip& chip : *game.chips)
      names.push_back(chip.part == "clock" ? "clock" : chip_name(chip));
    return fmt::format("{} (from the {})", list_text(names),
                       game.chips_from_header ? "ROM header" : "catalog");
  }
  if (carried.empty())
    return save.blank() ? "nothing but erased bytes" : "controller pak (from the file)";
  return fmt::format("{} (from the size of the file)", list_text(carried));
}

}  // namespace bayswap
