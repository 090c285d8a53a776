#include "moves/carry_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>
#include <system_error>
#include <tuple>

#include "places/name_fields.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "moves/mover.h"
#include "reading/part_layouts.h"
#include "moves/shelf_path.h"
#include "core/naming/tags.h"
#include "files/atomic_write.h"

namespace bayswap {
namespace {

using Roms = std::vector<const RomFile*>;

std::vector<const Shelf*> shelves_for(const Bay& bay, System system, Kind kind = Kind::battery) {
  std::vector<const Shelf*> shelves;
  for (const Shelf& shelf : bay.shelves)
    if (shelf.system == system && shelf.kind == kind) shelves.push_back(&shelf);
  return shelves;
}

bool has_roms_of_its_own(const Shelf& shelf) {
  return shelf.kind == Kind::battery || shelf.kind == Kind::state;
}

// Nothing for the system: of all systems.
Roms roms_of(RomFolders& folders, const Bay& bay, std::optional<System> system) {
  Roms roms;
  std::vector<Path> seen;
  for (const Shelf& shelf : bay.shelves) {
    if (!has_roms_of_its_own(shelf) || (system && shelf.system != *system)) continue;
    for (const RomFile* rom : folders.of_shelf(bay, shelf).roms()) {
      if (rom->info.system != shelf.system ||
          std::find(seen.begin(), seen.end(), rom->path) != seen.end())
        continue;
      seen.push_back(rom->path);
      roms.push_back(rom);
    }
  }
  return roms;
}

Path roms_folder_of(const Bay& bay, const Shelf& shelf) {
  return (shelf.roms.empty() || shelf.roms == "." ? bay.place : bay.place / shelf.roms)
      .lexically_normal();
}

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
      return differs && differs->code == "region-differs";
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
  return {Level::error, "many-match",
          fmt::format("several ROMs in {} fit: {}", bay, list_text(names)),
          "say which with --rom FILE"};
}

// How sure it is that a ROM of another name is the save's game.
Finding how_sure(const Source& source, const RomFile& rom, bool guessed) {
  const std::string name = safe_text(rom.stem);
  if (guessed && plain_title(rom.stem) == plain_title(source.stem))
    return {Level::note, "rom-match",
            fmt::format("likely the game of the ROM {}: the names are the same but for tags, case "
                        "and punctuation",
                        name),
            "if it is another game, say which with --rom FILE"};
  if (guessed)
    return {Level::note, "rom-match",
            fmt::format("likely the game of the ROM {}, by the title {}", name,
                        safe_text(rom.info.game.title)),
            "if it is another game, say which with --rom FILE"};
  const std::string& code = rom.info.game.code;
  if (!code.empty() && !rom.info.shared_code && source.rom->info.game.code == code)
    return {Level::note, "rom-match",
            fmt::format("surely the game of the ROM {}: both ROMs' headers say {}", name,
                        safe_text(code)),
            ""};
  return {Level::note, "rom-match",
          fmt::format("likely the game of the ROM {}: both ROMs have the same title", name),
          "if it is another game, say which with --rom FILE"};
}

// Without a ROM, a save of that name that lies there already, or a bay that has no ROMs at all,
// still tells the name.
std::optional<TargetGame> without_rom(Session& session, RomFolders& folders, const Bay& bay,
                                      const Source& source, bool bay_has_roms) {
  // A game of another family has that name: the file there is not this save's.
  for (const RomFile* rom : roms_of(folders, bay, std::nullopt))
    if (rom->stem == source.stem) return std::nullopt;
  const Kind kind = source.state ? Kind::state : Kind::battery;
  for (const Shelf* shelf : shelves_for(bay, source.save.system, kind)) {
    const auto pattern = NamingPattern::parse(shelf->pattern);
    if (!pattern) continue;
    const auto path = pattern->build({{"stem", source.stem},
                                      {"title", source.stem},
                                      {"slot", source.slot.empty() ? "0" : source.slot}});
    if (!path) continue;
    if (!bay_has_roms || !is_missing(*session.storage, bay.place / *path))
      return TargetGame{source.stem, std::nullopt};
  }
  return std::nullopt;
}

// One way to store some of the parts: a shelf, its file, a layout.
struct Option {
  const Shelf* shelf = nullptr;
  Path path;
  const Layout* layout = nullptr;
  std::optional<FileView> there;
  std::int64_t there_modified_ns = 0;
  std::vector<std::string> holds;  ///< parts with progress that it would take
  std::size_t near = 0;  ///< letters of the ROM's folder that the shelf names; more is better
  int region_fits = 1;   ///< more is better
};

class TargetMaker {
 public:
  TargetMaker(Session& session, RomFolders& folders, const Bay& bay, const Source& source,
              const TargetGame& game, const Hints& hints, Checks& checks)
      : session_(session),
        folders_(folders),
        bay_(bay),
        source_(source),
        game_(game),
        hints_(hints),
        checks_(checks) {
    for (const Part& part : source.save.parts)
      if (!part.blank || source.save.blank()) wanted_.push_back(part.name);
    // A clock alone is worth carrying only when it is all there is.
    hints_.system = source.save.system;
  }

  Result<Targets> make() {
    Targets targets;
    std::vector<std::string> left = wanted_;
    std::string layouts_there;
    while (!left.empty()) {
      auto option = best_option(left);
      if (!option) return tl::unexpected(option.error());
      if (!*option) break;
      auto file = fill(**option, targets.losses);
      if (!file) return tl::unexpected(file.error());
      targets.files.push_back(std::move(*file));
      layouts_there += (layouts_there.empty() ? "" : ", ") + (*option)->layout->info().id;
      std::erase_if(left,
                    [&](const std::string& part) { return contains((*option)->holds, part); });
    }
    if (targets.files.empty() && !reasons_.empty())
      return fail(Trouble::stopped, "no-match", reasons_.front(),
                  "give the ROM there a name that can stand in a path, or change the pattern");
    for (const std::string& part : left)
      targets.losses.push_back(lost_part(
          *source_.save.part(part),
          layouts_there.empty() ? "bay " + bay_.name : layouts_there + " of " + bay_.name));
    return targets;
  }

 private:
  static bool contains(const std::vector<std::string>& list, const std::string& text) {
    return std::find(list.begin(), list.end(), text) != list.end();
  }

  // How much a shelf says of where the game's ROM lies: most of all that the save lies in a folder
  // of the same name.
  std::size_t nearness(const Shelf& shelf, const NamingPattern& pattern) const {
    if (!game_.rom || shelf.roms.empty()) return 0;
    const Path folder = game_.rom->path.parent_path();
    const Path roms = roms_folder_of(bay_, shelf);
    if (!lies_in(roms, folder)) return 0;
    return (pattern.uses("folder") ? folder : roms).native().size();
  }

  // How well a path goes with the game's region: a folder of the same one, of none, of another.
  int region_fits(const std::string& relative) const {
    const Region there = region_of_path(relative);
    const Region own = game_.rom ? game_.rom->info.game.region : Region::unknown;
    if (there == Region::unknown || own == Region::unknown) return 1;
    return there == own ? 2 : 0;
  }

  Result<std::optional<Option>> best_option(const std::vector<std::string>& left) {
    std::optional<Option> best;
    std::set<Path> equal;  // other places that are as good as the best one
    for (const Shelf* shelf : shelves_for(bay_, source_.save.system)) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      if (!pattern) return tl::unexpected(pattern.error());
      const auto relative =
          pattern->build(fields_there(session_, folders_, bay_, *shelf, *pattern, source_, game_));
      if (!relative) {
        reasons_.push_back(relative.error().text);
        continue;
      }
      const auto path = shelf_path(bay_, *shelf, *relative, checks_);
      if (!path) return tl::unexpected(path.error());
      auto there = read_there(*path);
      if (!there) return tl::unexpected(there.error());
      for (const Layout* layout : layouts_for(*shelf, *there)) {
        Option option{shelf,
                      *path,
                      layout,
                      std::nullopt,
                      0,
                      holds(*layout, left),
                      nearness(*shelf, *pattern),
                      region_fits(*relative)};
        if (there->has_value()) {
          option.there = (*there)->first;
          option.there_modified_ns = (*there)->second;
        }
        if (option.holds.empty()) continue;
        // Of shelves that fit equally, the one where the game's save lies already, else the one
        // whose ROMs' folder holds the game's ROM most closely, else the one of its region.
        const auto worth = [](const Option& one) {
          return std::tuple(one.holds.size(), one.there.has_value(), one.near, one.region_fits);
        };
        if (!best || worth(option) > worth(*best)) {
          best = std::move(option);
          equal.clear();
        } else if (worth(option) == worth(*best) && option.path != best->path) {
          equal.insert(option.path);
        }
      }
    }
    if (best && !best->there && !equal.empty()) note_equal_shelves(*best, equal);
    return best;
  }

  void note_equal_shelves(const Option& best, const std::set<Path>& others) {
    const auto name = [&](const Path& path) {
      return safe_text(path.lexically_relative(bay_.place).generic_string());
    };
    checks_.note({Level::warn, "shelf-unsure",
                  fmt::format("it could as well go to {}{}", name(*others.begin()),
                              others.size() > 1 ? fmt::format(" and {} more", others.size() - 1)
                                                : std::string()),
                  fmt::format("if {} is wrong, save once in the game there, so that its own file "
                              "shows the place, and carry again",
                              name(best.path))});
  }

  using There = std::optional<std::pair<FileView, std::int64_t>>;
  Result<There> read_there(const Path& path) {
    const auto version = version_at(*session_.storage, path);
    if (!version) return tl::unexpected(version.error());
    if (!version->digest) return There{};
    const auto view = session_.storage->view(path, kSaveLimit);
    if (!view) return tl::unexpected(view.error());
    return There{std::pair{*view, version->modified_ns}};
  }

  // The layout of the file there; without one, what the shelf says, at the size of the chip.
  std::vector<const Layout*> layouts_for(const Shelf& shelf, const There& there) {
    std::vector<const Layout*> allowed;
    for (const std::string& id : shelf.layout) {
      const Layout* layout = layouts().find(id);
      if (layout == nullptr) continue;
      for (const Layout* sized : sizes_of(*layout))
        if (std::find(allowed.begin(), allowed.end(), sized) == allowed.end())
          allowed.push_back(sized);
    }
    if (there && !there->first.bytes().empty()) {
      for (const Guess& guess : identify(there->first.bytes(), hints_))
        if (std::find(allowed.begin(), allowed.end(), guess.layout) != allowed.end())
          return {guess.layout};
    }
    return allowed;
  }

  // The wanted parts that the layout takes without loss.
  std::vector<std::string> holds(const Layout& layout, const std::vector<std::string>& left) {
    std::vector<std::string> taken;
    const Save save = carried_by(layout, left, taken);
    if (taken.empty()) return {};
    const auto written = layout.write({std::span(&save, 1), std::nullopt, hints_});
    if (!written || !written->losses.empty()) return {};
    // A chip of the game at another capacity is not this layout's.
    const auto& sizes = layout.info().file_sizes;
    const bool one_size = layout.info().parts.size() == 1 && sizes.size() == 1;
    const auto chip = hinted_size(hints_, layout.info().parts.front());
    if (one_size && chip && *chip != sizes.front()) return {};
    if (one_size && !chip && save.parts.front().data.size() != sizes.front()) return {};
    return taken;
  }

  Save carried_by(const Layout& layout, const std::vector<std::string>& left,
                  std::vector<std::string>& taken) {
    Save chosen = source_.save;
    std::erase_if(chosen.parts, [&](const Part& part) { return !contains(left, part.name); });
    return only_for(chosen, layout, taken);
  }

  Result<TargetFile> fill(const Option& option, Findings& losses) {
    TargetFile file;
    file.path = option.path;
    file.layout = option.layout;
    file.names = option.shelf->names;
    std::vector<std::string> taken;
    file.carried = carried_by(*option.layout, option.holds, taken);
    file.from = from_files(taken);
    std::optional<ByteView> mould;
    if (option.there) {
      file.before = version_digest(option.there->bytes());
      file.before_modified_ns = option.there_modified_ns;
      mould = option.there->bytes();
      compare_there(file, *mould);
      if (bad_mould_) mould = std::nullopt;
    }
    auto written = imitate(*option.layout, {std::span(&file.carried, 1), mould, hints_});
    if (!written) return tl::unexpected(written.error());
    losses.insert(losses.end(), written->losses.begin(), written->losses.end());
    for (Finding& note : written->notes) checks_.note(std::move(note));
    file.bytes = std::move(written->bytes);
    return file;
  }

  void compare_there(TargetFile& file, ByteView there) {
    bad_mould_ = false;
    const auto content = file.layout->read(there, hints_);
    if (!content || content->saves.empty()) {
      bad_mould_ = true;
      checks_.add({Level::error, "damaged",
                   fmt::format("{}: the file there is no {} ({} bytes), so it cannot be imitated",
                               safe_text(file.path.string()), file.layout->info().id,
                               grouped(there.size())),
                   "start the game there once so that a good file exists; or replace it with "
                   "--accept damaged (the old one stays in history)"});
      return;
    }
    const Save& old = content->saves.front();
    file.already_there = true;
    for (const Part& part : file.carried.parts) {
      const Part* other = old.part(part.name);
      const bool same = other != nullptr && same_progress(old.system, *other, part);
      file.already_there = file.already_there && same;
      if (other != nullptr && !same && !other->blank) file.replaces_progress = true;
    }
  }

  std::vector<std::string> from_files(const std::vector<std::string>& parts) const {
    std::vector<std::string> names;
    for (std::size_t i = 0; i < source_.save.parts.size(); ++i)
      if (contains(parts, source_.save.parts[i].name) && !contains(names, source_.part_files[i]))
        names.push_back(source_.part_files[i]);
    return names;
  }

  Session& session_;
  RomFolders& folders_;
  const Bay& bay_;
  const Source& source_;
  const TargetGame& game_;
  Hints hints_;
  Checks& checks_;
  std::vector<std::string> wanted_;
  std::vector<std::string> reasons_;
  bool bad_mould_ = false;
};

}  // namespace

std::optional<TargetGame> find_target_game(Session& session, RomFolders& folders, const Bay& bay,
                                           const Source& source, const CarryRequest& request,
                                           Checks& checks) {
  const System system = source.save.system;
  const Kind kind = source.state ? Kind::state : Kind::battery;
  if (shelves_for(bay, system, kind).empty()) {
    checks.add({Level::error, "no-match",
                fmt::format("bay {} has no shelf for {} {}", bay.name, to_string(system),
                            source.state ? "states" : "saves"),
                fmt::format("start a {} game there once so that a save exists, then: bayswap bay "
                            "learn {} FOLDER",
                            to_string(system), bay.name)});
    return std::nullopt;
  }
  const Roms roms = roms_of(folders, bay, system);
  Roms found;
  // With --from, the text named the save in its own bay; what fits there follows from the save.
  const bool text_is_of_target =
      !request.game.empty() && (request.from.empty() || !request.saves.empty());
  bool guessed = false;                 // by the name alone
  bool told = request.rom.has_value();  // by the user
  if (request.rom && source.rom) {
    found = select(roms, [&](const RomFile& rom) {
      std::error_code ignored;
      return std::filesystem::equivalent(rom.path, *request.rom, ignored);
    });
    if (found.empty()) found = alike(roms, source.rom, source.rom->stem, session.catalog).roms;
    if (found.empty()) return TargetGame{source.rom->stem, source.rom};
  } else if (!text_is_of_target && !request.rom) {
    Alike there = alike(roms, source.rom, source.stem, session.catalog);
    found = std::move(there.roms);
    guessed = there.by_name;
  }
  if (found.empty() && !request.game.empty()) {
    told = true;
    found = named(roms, request.game, session.catalog);
  }
  if (found.size() > 1) {
    checks.add(many(found, bay.name));
    return std::nullopt;
  }
  if (found.size() == 1) {
    TargetGame game{found.front()->stem, *found.front()};
    if (source.rom)
      if (auto differs = compare_games(*source.rom, *game.rom, session.catalog))
        if (checks.add(std::move(*differs))) return std::nullopt;
    if (!told && game.stem != source.stem) checks.note(how_sure(source, *game.rom, guessed));
    return game;
  }
  if (request.game.empty())
    if (auto game = without_rom(session, folders, bay, source, !roms.empty())) return game;
  Finding none{Level::error, "no-match",
               fmt::format("no {} ROM in {} fits '{}'", to_string(system), bay.name,
                           safe_text(request.game.empty() ? source.stem : request.game)),
               "name the game there with --rom FILE or --game TEXT, or put its ROM there"};
  if (checks.add(std::move(none))) return std::nullopt;
  return TargetGame{source.stem, std::nullopt};
}

Result<void> compare_whole(Storage& storage, TargetFile& file) {
  const auto version = version_at(storage, file.path);
  if (!version) return tl::unexpected(version.error());
  if (!version->digest) return {};
  file.before = version->digest;
  file.before_modified_ns = version->modified_ns;
  file.already_there = *version->digest == version_digest(file.bytes);
  file.replaces_progress = true;
  return {};
}

Fields fields_there(Session& session, RomFolders& folders, const Bay& bay, const Shelf& shelf,
                    const NamingPattern& pattern, const Source& source, const TargetGame& game) {
  const TitleStyle style = pattern.uses("title")
                               ? title_style_of(*session.storage, bay, pattern,
                                                folders.of_shelf(bay, shelf), session.catalog)
                               : TitleStyle::people;
  const std::optional<RomFile>& rom = game.rom ? game.rom : source.rom;
  Fields fields = rom ? fields_of_rom(*rom, session.catalog, style) : Fields{};
  if (rom) {
    add_hash_fields(*session.storage, *rom, pattern, fields);
    add_folder_field(*rom, roms_folder_of(bay, shelf), fields);
  }
  fields.insert_or_assign("stem", game.stem);
  fields.try_emplace("title", game.stem);
  return fields;
}

Roms roms_named(Session& session, RomFolders& folders, const Bay& bay, const std::string& stem,
                const std::string& game) {
  const Roms roms = roms_of(folders, bay, std::nullopt);
  if (!game.empty()) return named(roms, game, session.catalog);
  auto found = select(roms, [&](const RomFile& rom) { return rom.stem == stem; });
  return found.empty() ? by_name(roms, stem, session.catalog) : found;
}

Result<Targets> make_targets(Session& session, RomFolders& folders, const Bay& bay,
                             const Source& source, const TargetGame& game, const Hints& hints,
                             Checks& checks) {
  return TargetMaker(session, folders, bay, source, game, hints, checks).make();
}

}  // namespace bayswap
