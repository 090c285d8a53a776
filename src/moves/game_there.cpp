#include "moves/game_there.h"

#include <fmt/core.h>

#include <algorithm>
#include <system_error>

#include "core/bytes/text.h"
#include "core/naming/tags.h"

namespace bayswap {
namespace {

using Roms = std::vector<const RomFile*>;

template <class Test>
Roms select(const Roms& roms, Test test) {
  Roms found;
  std::copy_if(roms.begin(), roms.end(), std::back_inserter(found),
               [&](const RomFile* rom) { return test(*rom); });
  return found;
}

// The ROMs that a text of the user names, by the best kind of match only.
Roms named(const Roms& roms, const std::string& text, const Catalog& catalog) {
  const std::string plain = plain_title(text);
  auto found = select(roms, [&](const RomFile& rom) {
    return rom.stem == text || rom.path.filename().string() == text;
  });
  if (found.empty())
    found = select(roms, [&](const RomFile& rom) {
      return !rom.info.shared_code && !rom.info.game.code.empty() &&
             rom.info.game.code == upper_ascii(text);
    });
  if (found.empty())
    found = select(roms, [&](const RomFile& rom) {
      const CatalogGame* known = catalog.find(rom.info);
      return plain_title(rom.stem) == plain || plain_title(rom.info.game.title) == plain ||
             (known != nullptr && plain_title(known->title) == plain);
    });
  if (found.empty() && !plain.empty())
    found = select(roms, [&](const RomFile& rom) {
      return plain_title(rom.stem).find(plain) != std::string::npos;
    });
  return found;
}

// Whether a ROM's header, or the catalog, says which game it is: not on every system.
bool says_its_game(const RomFile& rom, const Catalog& catalog) {
  const Game& game = rom.info.game;
  return (!game.code.empty() && !rom.info.shared_code) || !plain_title(game.title).empty() ||
         catalog.find(rom.info) != nullptr;
}

// The ROMs of the same game as the source's ROM: the same code first, then siblings.
Roms same_game(const Roms& roms, const RomFile& rom, const Catalog& catalog) {
  auto found =
      select(roms, [&](const RomFile& other) { return !compare_games(rom, other, catalog); });
  if (found.empty())
    found = select(roms, [&](const RomFile& other) {
      const auto differs = compare_games(rom, other, catalog);
      return differs && differs->code == Code::region_differs;
    });
  return found;
}

Roms by_name(const Roms& roms, const std::string& stem, const Catalog& catalog) {
  const std::string plain = plain_title(stem);
  auto found = select(roms, [&](const RomFile& rom) {
    return plain_title(rom.stem) == plain && tags_agree(stem, rom.stem);
  });
  if (found.empty())
    found = select(roms, [&](const RomFile& rom) {
      const CatalogGame* known = catalog.find(rom.info);
      return tags_agree(stem, rom.stem) &&
             (titles_agree(stem, rom.info.game.title) ||
              (known != nullptr && plain_title(known->title) == plain));
    });
  return found;
}

struct Alike {
  Roms roms;
  bool by_name = false;  // and by nothing else
};

// The ROMs of a save's game: by the exact stem, else by what its own ROM says, else by the name; of
// several the closest in name.
Alike alike(const Roms& roms, const std::optional<RomFile>& own, const std::string& stem,
            const Catalog& catalog) {
  Alike found;
  found.roms = select(roms, [&](const RomFile& rom) { return rom.stem == stem; });
  if (found.roms.empty()) {
    const bool told = own && says_its_game(*own, catalog);
    found.by_name = !told;
    found.roms = told ? same_game(roms, *own, catalog) : by_name(roms, stem, catalog);
  }
  found.roms = closest_in_name(std::move(found.roms), stem);
  return found;
}

Finding many(const Roms& roms, const std::string& bay) {
  std::vector<std::string> names;
  for (const RomFile* rom : roms) names.push_back(safe_text(rom->path.filename().string()));
  return {Level::error,
          Code::many_match,
          fmt::format("several ROMs in {} fit: {}", bay, list_text(names)),
          {"choose one with ", Remedy::rom}};
}

// How sure it is that a ROM of another name is the save's game.
Finding how_sure(const Source& source, const RomFile& rom, bool guessed) {
  const std::string name = safe_text(rom.stem);
  if (guessed && plain_title(rom.stem) == plain_title(source.stem))
    return {Level::note,
            Code::rom_match,
            fmt::format("likely the game of the ROM {}: the names are the same but for tags, case "
                        "and punctuation",
                        name),
            {"if it is another game, name its ROM with ", Remedy::rom}};
  if (guessed)
    return {Level::note,
            Code::rom_match,
            fmt::format("likely the game of the ROM {}, by the title {}", name,
                        safe_text(rom.info.game.title)),
            {"if it is another game, name its ROM with ", Remedy::rom}};
  const std::string& code = rom.info.game.code;
  if (!code.empty() && !rom.info.shared_code && source.rom->info.game.code == code)
    return {Level::note, Code::rom_match,
            fmt::format("surely the game of the ROM {}: both ROMs' headers say {}", name,
                        safe_text(code)),
            ""};
  return {Level::note,
          Code::rom_match,
          fmt::format("likely the game of the ROM {}: both ROMs have the same title", name),
          {"if it is another game, name its ROM with ", Remedy::rom}};
}

// Without a ROM, a save of that name that lies there already, or a bay that has no ROMs at all,
// still tells the name.
std::optional<GameThere> without_rom(const CarryContext& context, const Source& source,
                                     bool bay_has_roms) {
  // A game of another family has that name: the file there is not this save's.
  for (const RomFile* rom : context.there.roms_for(std::nullopt))
    if (rom->stem == source.stem) return std::nullopt;
  const Kind kind = source.state ? Kind::state : Kind::battery;
  for (const Shelf* shelf : shelves_for(context.bay(), source.save.system, kind)) {
    const auto pattern = NamingPattern::parse(shelf->pattern);
    if (!pattern) continue;
    const auto path = pattern->build({{"stem", source.stem},
                                      {"title", source.stem},
                                      {"slot", source.slot.empty() ? "0" : source.slot}});
    if (!path) continue;
    if (!bay_has_roms || !is_missing(*context.session.storage, context.bay().place / *path))
      return GameThere{source.stem, std::nullopt};
  }
  return std::nullopt;
}

// What was found of ROMs that may be the save's game.
struct Candidates {
  Roms roms;
  bool guessed = false;  // by the name alone
  bool told = false;     // by the user
};

// With --from, the text named the save in its own bay; what fits there follows from the save.
bool text_is_of_target(const CarryRequest& request) {
  return !or_empty(request.game).empty() &&
         (or_empty(request.from).empty() || !request.saves.empty());
}

// The ROM that the user names by its file, or the one there of the same game.
Roms of_named_rom(const Roms& roms, const RomFile& own, const Path& named, const Catalog& catalog) {
  auto found = select(roms, [&](const RomFile& rom) {
    std::error_code ignored;
    return std::filesystem::equivalent(rom.path, named, ignored);
  });
  return found.empty() ? alike(roms, own, own.stem, catalog).roms : found;
}

Candidates candidates(const Roms& roms, const Source& source, const CarryRequest& request,
                      const Catalog& catalog) {
  Candidates found;
  found.told = request.rom.has_value();
  if (request.rom && source.rom) {
    found.roms = of_named_rom(roms, *source.rom, *request.rom, catalog);
  } else if (!text_is_of_target(request) && !request.rom) {
    Alike there = alike(roms, source.rom, source.stem, catalog);
    found.roms = std::move(there.roms);
    found.guessed = there.by_name;
  }
  const bool of_own_rom = request.rom && source.rom;
  if (found.roms.empty() && !or_empty(request.game).empty() && !of_own_rom) {
    found.told = true;
    found.roms = named(roms, or_empty(request.game), catalog);
  }
  return found;
}

// The one ROM that fits, unless it is another game's or another region's.
std::optional<GameThere> game_of_rom(const RomFile& rom, const Candidates& found,
                                     const Source& source, const Catalog& catalog, Checks& checks) {
  if (source.rom)
    if (auto differs = compare_games(*source.rom, rom, catalog))
      if (checks.add(std::move(*differs))) return std::nullopt;
  if (!found.told && rom.stem != source.stem) checks.note(how_sure(source, rom, found.guessed));
  return GameThere{rom.stem, rom};
}

// The user names the file that is to be replaced; only another game's ROM speaks against it.
std::optional<GameThere> exact_game(const CarryContext& context, const Source& source,
                                    Checks& checks) {
  auto rom = rom_of_exact_place(context.there);
  if (rom && source.rom)
    if (auto differs = compare_games(*source.rom, *rom, context.session.catalog))
      if (checks.add(std::move(*differs))) return std::nullopt;
  const std::string stem = stem_of(context.bay().shelves.front().pattern);
  return GameThere{stem, rom ? std::move(rom) : std::nullopt};
}

bool has_shelf(const CarryContext& context, const Source& source, Checks& checks) {
  const System system = source.save.system;
  const Bay& bay = context.bay();
  if (!shelves_for(bay, system, source.state ? Kind::state : Kind::battery).empty()) return true;
  checks.add(
      {Level::error,
       Code::no_match,
       fmt::format("bay {} has no shelf for {} {}", bay.name, to_string(system),
                   source.state ? "states" : "saves"),
       {fmt::format("start a {} game there once so that a save exists, then: ", to_string(system)),
        HintPiece{Remedy::learn_bay, bay.name}}});
  return false;
}

}  // namespace

std::optional<RomFile> rom_of_exact_place(BayScan& bay) {
  if (!bay.bay().exact || bay.bay().shelves.empty()) return std::nullopt;
  const std::string stem = stem_of(bay.bay().shelves.front().pattern);
  for (const RomFile* rom : bay.roms_for(std::nullopt))
    if (rom->stem == stem) return *rom;
  return std::nullopt;
}

std::vector<const Shelf*> shelves_for(const Bay& bay, System system, Kind kind) {
  std::vector<const Shelf*> shelves;
  for (const Shelf& shelf : bay.shelves)
    if (shelf.system == system && shelf.kind == kind) shelves.push_back(&shelf);
  return shelves;
}

Path roms_folder_of(const Bay& bay, const Shelf& shelf) {
  return (shelf.roms.empty() || shelf.roms == "." ? bay.place : bay.place / shelf.roms)
      .lexically_normal();
}

std::optional<GameThere> find_game_there(const CarryContext& context, const Source& source,
                                         Checks& checks) {
  if (!has_shelf(context, source, checks)) return std::nullopt;
  const Catalog& catalog = context.session.catalog;
  if (context.bay().exact) return exact_game(context, source, checks);
  const CarryRequest& request = context.request;
  const System system = source.save.system;
  const Roms roms = context.there.roms_for(system);
  const Candidates found = candidates(roms, source, request, catalog);
  if (request.rom && source.rom && found.roms.empty())
    return GameThere{source.rom->stem, source.rom};
  if (found.roms.size() > 1) {
    checks.add(many(found.roms, context.bay().name));
    return std::nullopt;
  }
  if (found.roms.size() == 1)
    return game_of_rom(*found.roms.front(), found, source, catalog, checks);
  if (or_empty(request.game).empty())
    if (auto game = without_rom(context, source, !roms.empty())) return game;
  Finding none{
      Level::error,
      Code::no_match,
      fmt::format("no {} ROM in {} fits '{}'", to_string(system), context.bay().name,
                  safe_text(or_empty(request.game).empty() ? source.stem : or_empty(request.game))),
      {"name the game there with ", Remedy::rom, " or ", Remedy::game, ", or put its ROM there"}};
  if (checks.add(std::move(none))) return std::nullopt;
  return GameThere{source.stem, std::nullopt};
}

Fields fields_there(const CarryContext& context, const Shelf& shelf, const NamingPattern& pattern,
                    const Source& source, const GameThere& game) {
  const TitleStyle style =
      pattern.uses("title") ? context.there.titles_on(shelf) : TitleStyle::people;
  const std::optional<RomFile>& rom = game.rom ? game.rom : source.rom;
  Fields fields = rom ? fields_of_rom(*rom, context.session.catalog, style) : Fields{};
  if (rom) {
    add_hash_fields(*context.session.storage, *rom, pattern, fields);
    add_folder_field(*rom, roms_folder_of(context.bay(), shelf), fields);
  }
  fields.insert_or_assign("stem", game.stem);
  fields.try_emplace("title", game.stem);
  return fields;
}

Roms roms_named(Session& session, BayScan& bay, const std::string& stem, const std::string& game) {
  const Roms roms = bay.roms_for(std::nullopt);
  if (!game.empty()) return named(roms, game, session.catalog);
  auto found = select(roms, [&](const RomFile& rom) { return rom.stem == stem; });
  return found.empty() ? by_name(roms, stem, session.catalog) : found;
}

}  // namespace bayswap
