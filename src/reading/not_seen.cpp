#include "reading/not_seen.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "files/atomic_write.h"
#include "places/walk.h"

namespace bayswap {
namespace {

HintPiece carry_to(const Path& path) {
  return {Remedy::carry, safe_text(path.string())};
}

// The ROM of the same game with other tags: another region, another disc.
const RomFile* same_title(const RomIndex& roms, const std::string& stem, System system) {
  const std::string title = plain_title(stem);
  for (const RomFile* rom : roms.roms())
    if (!title.empty() && rom->info.system == system && plain_title(rom->stem) == title) return rom;
  return nullptr;
}

}  // namespace

std::optional<Finding> name_not_seen(RomFolders& folders, const Inspection& found) {
  if (!found.shelf || found.shelf->shelf->roms.empty()) return std::nullopt;
  const Bay& bay = *found.shelf->bay;
  const Shelf& shelf = *found.shelf->shelf;
  const std::string& stem = found.shelf->stem;
  if (shelf.pattern.find("{stem") == std::string::npos) return std::nullopt;
  const std::string own = safe_text(stem);
  if (found.rom) {
    if (found.rom->stem == stem) return std::nullopt;
    return Finding{
        Level::warn,
        Code::not_seen,
        fmt::format(
            "its program will not see it: the game's ROM there is called '{}', but the save '{}'",
            safe_text(found.rom->stem), own),
        {"'", carry_to(found.path), " ", HintPiece{Remedy::to_bay, bay.name},
         "' puts it under the ROM's name"}};
  }
  const RomIndex& roms = folders.of_shelf(bay, shelf);
  if (roms.roms().empty() || !found.several_roms.empty()) return std::nullopt;
  if (const RomFile* other = same_title(roms, stem, shelf.system)) {
    const Region theirs = region_of_name(other->stem);
    const Region ours = region_of_name(stem);
    const bool region = theirs != ours && theirs != Region::unknown && ours != Region::unknown;
    return Finding{
        Level::warn,
        Code::not_seen,
        region ? fmt::format("its program will not see it: it is named for {}, but the ROM there, "
                             "'{}', is for {}",
                             to_string(ours), safe_text(other->stem), to_string(theirs))
               : fmt::format(
                     "its program will not see it: the ROM there is called '{}', but the save '{}'",
                     safe_text(other->stem), own),
        {"if the game's versions share saves: '", carry_to(found.path), " ",
         HintPiece{Remedy::to_bay, bay.name}, " ", accept_remedy(Code::region_differs), "'"}};
  }
  return Finding{Level::note,
                 Code::not_seen,
                 fmt::format("no ROM there is called '{}': its program will not see it", own),
                 {"if the ROM has another name: '", carry_to(found.path), " ",
                  HintPiece{Remedy::to_bay, bay.name}, " ", HintPiece{Remedy::game}, "'"}};
}

AccountsInUse::AccountsInUse(const std::vector<Bay>& bays, const std::vector<std::string>& titles) {
  for (const Bay& bay : bays)
    for (const Shelf& shelf : bay.shelves) {
      const auto pattern = NamingPattern::parse(shelf.pattern);
      if (!pattern || shelf.pattern.find("{account") == std::string::npos) continue;
      const std::string place = bay.place.lexically_normal().native();
      for (const std::string& title : titles) {
        std::error_code ignored;
        const std::string full = std::filesystem::absolute(title, ignored).lexically_normal();
        if (!text_lies_in(place, full)) continue;
        const std::string relative = text_below(place, full);
        const auto fields = pattern->match(relative);
        if (!fields || !fields->contains("account")) continue;
        const std::string& account = fields->at("account");
        Fields others = *fields;
        others.erase("account");
        std::string rest;
        for (const auto& [name, value] : others) rest += fmt::format("{}={};", name, value);
        places_[title] = {&bay, account, rest};
        ++counts_[&bay][account];
      }
    }
}

std::optional<Finding> AccountsInUse::not_seen(const std::string& folder) const {
  const auto place = places_.find(folder);
  if (place == places_.end()) return std::nullopt;
  const auto& accounts = counts_.at(place->second.bay);
  const auto main =
      std::ranges::max_element(accounts, {}, [](const auto& one) { return one.second; });
  const std::string& own = place->second.account;
  if (main->first == own || accounts.at(own) * 2 > main->second) return std::nullopt;
  const bool has_own = std::ranges::any_of(places_, [&](const auto& other) {
    return other.second.bay == place->second.bay && other.second.account == main->first &&
           other.second.title == place->second.title;
  });
  if (has_own) return std::nullopt;
  return Finding{
      Level::warn,
      Code::not_seen,
      fmt::format("lies under account {}, which has {} there; account {} plays there, with {}", own,
                  counted(accounts.at(own), "save"), main->first, counted(main->second, "save")),
      {"'", carry_to(folder), " ", HintPiece{Remedy::to_bay, place->second.bay->name}, " ",
       HintPiece{Remedy::account, main->first}, "' brings it there"}};
}

}  // namespace bayswap
