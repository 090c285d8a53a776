#include "moves/file_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>
#include <tuple>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/naming/tags.h"
#include "files/atomic_write.h"
#include "moves/game_there.h"
#include "moves/padding_there.h"
#include "moves/shelf_path.h"
#include "places/chip_shelves.h"
#include "places/second_file.h"
#include "reading/part_layouts.h"

namespace bayswap {
namespace {

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

// A file that was placed, and the parts that it is to hold.
struct PlacedFile {
  Path path;
  const Layout* layout = nullptr;
  Save carried;
};

Result<void> comes_back(Storage& storage, const PlacedFile& file, bool shortened) {
  const auto view = storage.view(file.path, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  Hints hints;
  hints.system = file.carried.system;
  hints.second_file = read_second_file(storage, file.path);
  // In a file for a larger chip, only the chip's size tells where the save ends.
  hints.chips.emplace();
  for (const Part& part : file.carried.parts) hints.chips->push_back({part.name, part.data.size()});
  const auto content = file.layout->read(view->bytes(), hints);
  bool same = content && !content->saves.empty();
  if (same && !shortened)
    for (const Part& part : file.carried.parts) {
      const Part* there = content->saves.front().part(part.name);
      same = same && there != nullptr && same_progress(file.carried.system, *there, part);
    }
  return same ? Result<void>{} : reads_back_as_another(file.path);
}

// Chooses shelves and layouts for every part that holds something, and makes the bytes. Existing
// files are the moulds.
class PartPlacer {
 public:
  PartPlacer(const CarryContext& context, const Source& source, const GameThere& game,
             const Hints& hints, const MoveReport& line, Checks& checks)
      : context_(context),
        source_(source),
        game_(game),
        hints_(hints),
        line_(line),
        checks_(checks) {
    // A clock alone is worth carrying only when it is all there is.
    for (const Part& part : source.save.parts)
      if (!part.blank || source.save.blank()) wanted_.push_back(part.name);
    hints_.system = source.save.system;
  }

  Result<Placement> place() {
    Placement placement;
    std::vector<std::string> left = wanted_;
    std::string layouts_there;
    while (!left.empty()) {
      auto option =
          best_option(shelves_for(context_.bay(), source_.save.system, Kind::battery), left);
      if (option && !*option) option = option_by_habit(left);
      if (!option) return tl::unexpected(option.error());
      if (!*option) break;
      auto unit = fill(**option, placement.losses);
      if (!unit) return tl::unexpected(unit.error());
      placement.units.push_back(std::move(*unit));
      if (!layouts_there.empty()) layouts_there += ", ";
      layouts_there += (*option)->layout->info().id;
      std::erase_if(left,
                    [&](const std::string& part) { return contains((*option)->holds, part); });
    }
    if (placement.units.empty() && !reasons_.empty())
      return fail(Trouble::stopped, Code::no_match, reasons_.front(),
                  "give the ROM there a name that can stand in a path, or change the pattern");
    const std::string& bay = context_.bay().name;
    const std::string where = layouts_there.empty() ? fmt::format("bay {}", bay)
                                                    : fmt::format("{} of {}", layouts_there, bay);
    for (const std::string& part : left)
      placement.losses.push_back(lost_part(*source_.save.part(part), where));
    say_of_clock(placement);
    verify_all(placement);
    return placement;
  }

 private:
  // The game has a clock, and the save comes without.
  void say_of_clock(const Placement& placement) {
    if (placement.units.empty() || source_.save.part("clock") != nullptr ||
        !hinted_size(hints_, "clock"))
      return;
    bool made = false;  // a new clock, of which its layout tells
    const bool keeps = std::ranges::any_of(placement.units, [&](const PlacedUnit& unit) {
      const Layout* layout = layouts().find(unit.line.to_layout);
      made = made || !unit.line.replaces;
      return layout != nullptr &&
             std::ranges::find(layout->info().parts, "clock") != layout->info().parts.end();
    });
    if (keeps && made) return;
    checks_.note(keeps ? Finding{Level::note, Code::clock_unset,
                                 "the save comes without its clock: the clock there stays as it is",
                                 "set it in the game if it is wrong"}
                       : Finding{Level::note, Code::clock_unset,
                                 "the game has a clock, and neither the save nor the place keeps "
                                 "it: the clock stays behind",
                                 "set it in the game"});
  }

  // Where the user accepted losses, less comes back than was carried.
  void verify_all(Placement& placement) const {
    const bool shortened = !placement.losses.empty();
    auto placed = placed_.begin();
    for (PlacedUnit& unit : placement.units) {
      if (unit.changes.empty()) continue;
      unit.verify = [file = *placed++, shortened](Storage& storage) {
        return comes_back(storage, file, shortened);
      };
    }
  }

  static bool contains(const std::vector<std::string>& list, const std::string& text) {
    return std::find(list.begin(), list.end(), text) != list.end();
  }

  // How much a shelf says of where the game's ROM lies: most of all that the save lies in a folder
  // of the same name.
  std::size_t nearness(const Shelf& shelf, const NamingPattern& pattern) const {
    if (!game_.rom || shelf.roms.empty()) return 0;
    const Path folder = game_.rom->path.parent_path();
    const Path roms = roms_folder_of(context_.bay(), shelf);
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

  // No save of such a chip lies there yet: it is called as those of other chips are.
  Result<std::optional<Option>> option_by_habit(const std::vector<std::string>& left) {
    if (context_.bay().exact) return std::optional<Option>{};
    for (const std::string& part : left) {
      if (part == "clock") continue;  // a part of another chip's file, or its companion
      std::vector<const Shelf*> shelves;
      for (Shelf& shelf : shelves_by_habit(context_.bay(), source_.save.system, part))
        shelves.push_back(habits_.emplace_back(std::make_unique<Shelf>(std::move(shelf))).get());
      auto option = best_option(shelves, {part});
      const bool taken =
          option && *option && std::ranges::any_of(placed_, [&](const PlacedFile& file) {
            return file.path == (*option)->path;
          });
      if (taken) continue;
      if (option && *option)
        checks_.note(
            {Level::note, Code::assumed,
             fmt::format("no save of this chip ({}) lies there yet: it is called as the "
                         "others are",
                         part),
             "if the game does not find it, save once in the game there, and carry again"});
      if (!option || *option) return option;
    }
    return std::optional<Option>{};
  }

  Result<std::optional<Option>> best_option(const std::vector<const Shelf*>& shelves,
                                            const std::vector<std::string>& left) {
    std::optional<Option> best;
    std::set<Path> equal;  // other places that are as good as the best one
    for (const Shelf* shelf : shelves) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      if (!pattern) return tl::unexpected(pattern.error());
      const auto relative =
          pattern->build(fields_there(context_, *shelf, *pattern, source_, game_));
      if (!relative) {
        reasons_.push_back(relative.error().text);
        continue;
      }
      const auto path = shelf_path(context_.bay(), *shelf, *relative, checks_);
      if (!path) return tl::unexpected(path.error());
      if (!context_.bay().exact && belongs_to_another(*pattern, *path)) {
        reasons_.push_back(fmt::format("{} is another game's file: its shelf has one fixed name",
                                       safe_text(*relative)));
        continue;
      }
      auto there = read_there(*path);
      if (!there) return tl::unexpected(there.error());
      for (const Layout* layout : layouts_for(*shelf, *there, *path)) {
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

  // A shelf whose pattern has no field takes only the save of the game whose name its file bears.
  [[nodiscard]] bool belongs_to_another(const NamingPattern& pattern, const Path& path) const {
    if (pattern.uses_fields()) return false;
    const std::string there = plain_title(stem_of(path));
    return there != plain_title(game_.stem) && there != plain_title(source_.stem) &&
           (!game_.rom || there != plain_title(game_.rom->info.game.title));
  }

  void note_equal_shelves(const Option& best, const std::set<Path>& others) {
    const auto name = [&](const Path& path) {
      return safe_text(path.lexically_relative(context_.bay().place).generic_string());
    };
    checks_.note({Level::warn, Code::shelf_unsure,
                  fmt::format("it could as well go to {}{}", name(*others.begin()),
                              others.size() > 1 ? fmt::format(" and {} more", others.size() - 1)
                                                : std::string()),
                  fmt::format("if {} is wrong, save once in the game there, so that its own file "
                              "shows the place, and carry again",
                              name(best.path))});
  }

  using FileThere = std::optional<std::pair<FileView, std::int64_t>>;
  Result<FileThere> read_there(const Path& path) {
    const auto version = version_at(*context_.session.storage, path);
    if (!version) return tl::unexpected(version.error());
    if (!version->digest) return FileThere{};
    const auto view = context_.session.storage->view(path, context_.session.limits.largest_file);
    if (!view) return tl::unexpected(view.error());
    return FileThere{std::pair{*view, version->modified_ns}};
  }

  // The layout of the file there; without one, what the shelf says, at the size of the chip.
  std::vector<const Layout*> layouts_for(const Shelf& shelf, const FileThere& there,
                                         const Path& path) {
    std::vector<const Layout*> allowed;
    for (const std::string& id : shelf.layout) {
      const Layout* layout = layouts().find(id);
      if (layout == nullptr) continue;
      for (const Layout* sized : sizes_of(*layout))
        if (std::find(allowed.begin(), allowed.end(), sized) == allowed.end())
          allowed.push_back(sized);
    }
    if (there && !there->first.bytes().empty()) {
      for (const Guess& guess : identify(there->first.bytes(), hints_at(path)))
        if (std::find(allowed.begin(), allowed.end(), guess.layout) != allowed.end())
          return {guess.layout};
    }
    return allowed;
  }

  // What is known of the game, and of the file that lies beside the one there.
  [[nodiscard]] Hints hints_at(const Path& path) const {
    Hints hints = hints_;
    hints.second_file = read_second_file(*context_.session.storage, path);
    return hints;
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
    if (one_size && chip && written->bytes.size() != sizes.front()) return {};
    if (one_size && !chip && save.parts.front().data.size() != sizes.front()) return {};
    return taken;
  }

  Save carried_by(const Layout& layout, const std::vector<std::string>& left,
                  std::vector<std::string>& taken) {
    Save chosen = source_.save;
    std::erase_if(chosen.parts, [&](const Part& part) { return !contains(left, part.name); });
    return only_for(chosen, layout, taken);
  }

  Result<PlacedUnit> fill(const Option& option, Findings& losses) {
    PlacedUnit unit;
    std::vector<std::string> taken;
    const Save carried = carried_by(*option.layout, option.holds, taken);
    unit.names = option.shelf->names;
    unit.line = line_;
    unit.line.from = from_files(taken);
    unit.line.to = option.path.string();
    unit.line.to_layout = option.layout->info().id;
    unit.line.parts = taken;
    unit.line.replaces = option.there.has_value();
    std::optional<ByteView> mould;
    bool replaces_progress = false;
    if (option.there) {
      mould = option.there->bytes();
      const There old = compare_there(carried, option, *mould);
      unit.line.nothing_to_do = old.same;
      replaces_progress = old.other_progress;
      if (!old.readable) mould = std::nullopt;
    }
    auto written = imitate(*option.layout, {std::span(&carried, 1), mould, hints_at(option.path)});
    if (!written) return tl::unexpected(written.error());
    losses.insert(losses.end(), written->losses.begin(), written->losses.end());
    for (Finding& note : written->notes) checks_.note(std::move(note));
    if (!option.there) pad_as_others(option, *written);
    unit.line.size = unit.room = written->bytes.size();
    if (unit.line.nothing_to_do) return unit;
    if (replaces_progress)
      unit.newer = newer_there({option.path, version_digest(option.there->bytes()),
                                option.there_modified_ns, unit.names, option.there->bytes().size()},
                               version_digest(written->bytes), source_, context_.history);
    if (auto added = add_changes(option, std::move(*written), unit); !added)
      return tl::unexpected(added.error());
    placed_.push_back({option.path, option.layout, carried});
    return unit;
  }

  // A program that keeps one size for all games wants it for a new one, too.
  void pad_as_others(const Option& option, Written& written) {
    if (context_.bay().exact || option.layout->info().parts.size() != 1) return;
    const std::uint64_t size =
        padded_size_on(context_.there, *option.shelf, context_.session.catalog);
    if (size <= written.bytes.size()) return;
    Bytes padded = written.bytes;
    padded.resize(static_cast<std::size_t>(size), kErasedOnes);
    const auto back = option.layout->read(padded, hints_);
    if (!back || !back->trailer.empty()) return;
    written.bytes = std::move(padded);
    checks_.note({Level::note, Code::assumed,
                  fmt::format("the file gets {}, as all others there have", size_text(size)),
                  "what comes after the save is erased"});
  }

  // The file, and the one that the layout keeps beside it.
  Result<void> add_changes(const Option& option, Written written, PlacedUnit& unit) {
    std::optional<Digest> before;
    if (option.there) before = version_digest(option.there->bytes());
    unit.changes.push_back(change_to(option.path, std::move(written.bytes), before));
    if (written.second_file.empty()) return {};
    auto beside = change_beside(*context_.session.storage, option.path, *option.layout,
                                std::move(written.second_file));
    if (!beside) return tl::unexpected(beside.error());
    unit.changes.push_back(std::move(*beside));
    return {};
  }

  struct There {
    bool readable = true;
    bool same = false;            ///< all that is carried is there already
    bool other_progress = false;  ///< other progress is there in these parts
  };
  There compare_there(const Save& carried, const Option& option, ByteView there) {
    const auto content = option.layout->read(there, hints_at(option.path));
    if (!content || content->saves.empty()) {
      checks_.add(
          {Level::error,
           Code::damaged,
           fmt::format(
               "{}: the file there is not of the layout {} ({} bytes), so it cannot be imitated",
               safe_text(option.path.string()), option.layout->info().id, grouped(there.size())),
           {"start the game there once so that a good file exists; or replace it with ",
            accept_remedy(Code::damaged), " (the old one stays in history)"}});
      return {false, false, false};
    }
    const Save& old = content->saves.front();
    There found{true, true, false};
    for (const Part& part : carried.parts) {
      const Part* other = old.part(part.name);
      const bool same = other != nullptr && same_progress(old.system, *other, part);
      found.same = found.same && same;
      if (other != nullptr && !same && !other->blank) found.other_progress = true;
    }
    return found;
  }

  std::vector<std::string> from_files(const std::vector<std::string>& parts) const {
    std::vector<std::string> names;
    for (std::size_t i = 0; i < source_.save.parts.size(); ++i)
      if (contains(parts, source_.save.parts[i].name) && !contains(names, source_.part_files[i]))
        names.push_back(source_.part_files[i]);
    return names;
  }

  const CarryContext& context_;
  const Source& source_;
  const GameThere& game_;
  Hints hints_;
  const MoveReport& line_;
  Checks& checks_;
  std::vector<std::string> wanted_;
  std::vector<std::string> reasons_;
  std::vector<std::unique_ptr<Shelf>> habits_;  // for chips of which there is no save there yet
  std::vector<PlacedFile> placed_;              // one for each unit that changes something
};

// Saves of cartridges: a file, or several, for the parts that the game's chips hold.
class FileTarget final : public Target {
 public:
  explicit FileTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override { return source.save.kind == Kind::battery; }

  Result<std::optional<Placement>> place(const Source& source, MoveReport& line,
                                         Checks& checks) override {
    const auto game = find_game_there(context_, source, checks);
    if (!game) return std::optional<Placement>{};
    Hints hints = hints_for(source, *game);
    if (game->rom) line.game = game_of(*game->rom, context_.session.catalog);
    line.chip = chip_text(source.save, hints);
    if (auto differs = compare_chips(source, hints)) (void)checks.add(std::move(*differs));
    if (checks.stopped()) return std::optional<Placement>{};
    // Chips that the user let through differ from the hints, which must then not shape the file.
    if (has_code(checks.found(), Code::chip_differs)) hints.chips.reset();
    auto placement = PartPlacer(context_, source, *game, hints, line, checks).place();
    if (!placement) return tl::unexpected(placement.error());
    return std::optional<Placement>(std::move(*placement));
  }

 private:
  [[nodiscard]] Hints hints_for(const Source& source, const GameThere& game) const {
    const Catalog& catalog = context_.session.catalog;
    if (game.rom) return hints_of(game.rom->info, catalog);
    Hints hints;
    hints.system = source.save.system;
    if (const CatalogGame* known = catalog.find(source.save.system, game.stem))
      hints.chips = known->chips();
    return hints;
  }

  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_file_target(const CarryContext& context) {
  return std::make_unique<FileTarget>(context);
}

}  // namespace bayswap
