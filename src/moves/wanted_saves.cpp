#include "moves/wanted_saves.h"

#include <fmt/core.h>

#include <algorithm>
#include <iterator>
#include <set>

#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "files/archive_storage.h"
#include "moves/card_source.h"
#include "moves/folder_source.h"
#include "moves/game_there.h"
#include "moves/part_of_title.h"
#include "moves/plain_source.h"
#include "places/find_folders.h"
#include "places/walk.h"
#include "reading/save_address.h"

namespace bayswap {
namespace {

class Wanted {
 public:
  Wanted(Session& session, RomFolders& folders, BayScan& to, const CarryRequest& request)
      : session_(session), folders_(folders), to_(to), request_(request) {}

  Result<std::vector<Source>> find() {
    if (request_.all ||
        (!or_empty(request_.from).empty() && request_.saves.empty() && request_.given.empty())) {
      const auto from = session_.bays.find(or_empty(request_.from));
      if (!from) return tl::unexpected(from.error());
      BayScan scan(session_, folders_, **from);
      auto sources = read_bay(session_, folders_, scan, request_);
      if (!sources) return sources;
      note_states_left(scan);
      if (request_.all || ((*from)->port && or_empty(request_.game).empty()))
        return all_of(std::move(*sources), (*from)->name);
      return pick(std::move(*sources), or_empty(request_.game), (*from)->name);
    }
    std::vector<Source> sources;
    for (const GivenSave& given : request_.given) sources.push_back(source_of(given));
    for (const std::string& save : request_.saves) {
      auto found = find_source(save);
      if (!found) return tl::unexpected(found.error());
      sources.insert(sources.end(), std::make_move_iterator(found->begin()),
                     std::make_move_iterator(found->end()));
    }
    return sources;
  }

  [[nodiscard]] const Findings& notes() const { return notes_; }

 private:
  // States of systems of which the destination keeps none yet: it can't be told how it would.
  void note_states_left(BayScan& from) {
    for (const auto& [system, states] : states_of_bay(from)) {
      if (keeps_states(to_.bay(), system)) continue;
      notes_.push_back({Level::note, Code::assumed,
                        fmt::format("{} of {} stay where they are: the destination has no state "
                                    "of that system to show how its files are named",
                                    counted(states, "state"), to_string(system)),
                        "make one state of such a game there first; only the program that made a "
                        "state can load it"});
    }
  }

  // Every save, or every one of the game that is named, however many files and folders it has.
  Result<std::vector<Source>> all_of(std::vector<Source> sources, const std::string& bay) const {
    if (sources.empty() && !notes_.empty())
      return fail(Trouble::stopped, Code::no_match, notes_.front().text, notes_.front().hint);
    if (sources.empty())
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("{}: no save was found where its shelves say", safe_text(bay)),
                  {"see what is there with '", HintPiece{Remedy::look, safe_text(bay)}, "'"});
    const std::string& game = or_empty(request_.game);
    if (game.empty()) return sources;
    int best = 1;
    for (const Source& source : sources)
      best = std::max(best, named_by(source, session_.catalog, game));
    std::erase_if(sources, [&](const Source& source) {
      return named_by(source, session_.catalog, game) < best;
    });
    if (sources.empty())
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("no save in {} fits '{}'", safe_text(bay), safe_text(game)),
                  {"see what is there with '", HintPiece{Remedy::look, safe_text(bay)}, "'"});
    return sources;
  }

  // A save that the caller has in memory.
  Source source_of(const GivenSave& given) const {
    Source source;
    source.save = given.save;
    source.stem = given.name.empty() ? given.save.name : given.name;
    source.modified_ns = given.modified_ns;
    source.part_files.assign(given.save.parts.size(), source.stem);
    source.rom = request_.rom ? read_rom_file(*session_.storage, *request_.rom, session_.catalog)
                              : std::nullopt;
    return source;
  }

  // A file, or BAY:NAME, or a name inside --from.
  Result<std::vector<Source>> find_source(const std::string& save) {
    std::string bay_name = or_empty(request_.from);
    std::string name = save;
    if (bay_name.empty()) {
      const SaveAddress address = parse_address(session_, save);
      if (!address.bay.empty()) {
        bay_name = address.bay;
        name = address.inside;
      } else {
        if (address.there && address.inside.empty() && is_archive_file(save))
          return read_archive_sources(save);
        if (address.there && !address.inside.empty() && is_archive_file(address.path))
          return tl::unexpected(not_in_archive(address));
        if (const Path title = folder_of_sealed(save); !title.empty())
          return find_source(title.string());
        auto folders = read_folder_sources(session_, save, request_);
        if (!folders) return tl::unexpected(folders.error());
        if (*folders) return std::move(**folders);
        auto on_tree = read_tree_at(session_, folders_, save, request_);
        if (!on_tree) return tl::unexpected(on_tree.error());
        if (*on_tree) return std::move(**on_tree);
        auto on_cards = read_card_sources(session_, to_.bay(), save, or_empty(request_.is));
        if (!on_cards) return tl::unexpected(on_cards.error());
        if (*on_cards) return std::move(**on_cards);
        if (session_.storage->list(save)) return read_folder_of_files(save);
        if (auto part = read_file_of_title(save); !part || *part) {
          if (!part) return tl::unexpected(part.error());
          return one(std::move(**part));
        }
        auto source = read_loose(save);
        if (!source) return tl::unexpected(source.error());
        return one(std::move(*source));
      }
    }
    const auto bay = session_.bays.find(bay_name);
    if (!bay) return tl::unexpected(bay.error());
    BayScan scan(session_, folders_, **bay);
    auto sources = read_bay(session_, folders_, scan, request_);
    // A cartridge has one save, which needs no name.
    if (!sources || ((*bay)->port && name.empty())) return sources;
    return pick(std::move(*sources), name, (*bay)->name);
  }

  static std::vector<Source> one(Source source) {
    std::vector<Source> sources;
    sources.push_back(std::move(source));
    return sources;
  }

  bool is_archive_file(const Path& path) {
    return session_.storage->list(archive_root(path)).has_value() &&
           !read_rom_file(*session_.storage, path, session_.catalog);
  }

  Error not_in_archive(const SaveAddress& address) {
    constexpr std::size_t kShown = 8;
    std::vector<std::string> names;
    for (const WalkedFile& file : files_below(*session_.storage, archive_root(address.path)))
      if (names.size() < kShown) names.push_back(safe_text(archive_name(file.path())));
    return {Trouble::input, Code::missing,
            fmt::format("{}: has no '{}' in it", safe_text(address.path.string()),
                        safe_text(address.inside)),
            names.empty() ? std::string("it is empty") : "it has " + list_text(names)};
  }

  // A file that is all of a sealed title's save stands for its folder.
  Path folder_of_sealed(const Path& file) {
    const Path folder = file.has_parent_path() ? file.parent_path() : Path(".");
    const auto found = folder_at(*session_.storage, folder);
    return found && found->place.sealed && found->layout->sealed_marker() == inner_name(file)
               ? folder
               : Path();
  }

  // Files in an archive or a folder that can be saves by themselves.
  std::vector<Path> saves_among(const Path& folder) {
    std::vector<Path> saves;
    std::vector<Path> others;
    for (const WalkedFile& file : files_below(*session_.storage, folder)) {
      const Path path = file.path();
      if (read_rom_file(*session_.storage, path, session_.catalog)) continue;
      const auto found = inspect(session_, folders_, path, {});
      if (!found) continue;
      if (found->state || found->layout() != nullptr)
        saves.push_back(path);
      else if (found->ordinary.empty())
        others.push_back(path);
    }
    // A file of which nothing is known is still meant when it is all there is.
    return saves.empty() && others.size() == 1 ? others : saves;
  }

  // One save in an archive needs no name. Of several, the destination's games decide.
  Result<std::vector<Source>> read_archive_sources(const std::string& archive) {
    const Path root = archive_root(archive);
    auto folders = read_folder_sources(session_, root.string(), request_);
    if (!folders) return tl::unexpected(folders.error());
    const auto belongs_there = [&](const Source& source) {
      return std::ranges::any_of(to_.bay().shelves, [&](const Shelf& shelf) {
        return shelf.kind == Kind::folder && shelf.system == source.save.system;
      });
    };
    if (*folders && std::ranges::any_of(**folders, belongs_there)) return std::move(**folders);
    return choose_among(root, archive, true);
  }

  Result<std::vector<Source>> read_folder_of_files(const std::string& folder) {
    return choose_among(folder, folder, false);
  }

  Result<std::vector<Source>> choose_among(const Path& root, const std::string& named,
                                           bool archive) {
    const auto typed = [&](const Path& path) {
      return archive ? archive_name(path) : path.string();
    };
    std::vector<Path> saves = saves_among(root);
    const bool plain = std::ranges::none_of(saves, [&](const Path& path) {
      return !roms_named(session_, to_, stem_of(path), or_empty(request_.game)).empty();
    });
    // Files that fit no ROM there are those of a title.
    if (plain && (saves.size() != 1 || !has_shelf_for_chips())) {
      auto title = read_plain_folder(session_, to_, root, request_);
      if (!title) return tl::unexpected(title.error());
      if (*title) return one(std::move(**title));
    }
    if (saves.size() > 1) {
      std::vector<Path> fitting;
      for (const Path& path : saves)
        if (!roms_named(session_, to_, stem_of(path), "").empty()) fitting.push_back(path);
      if (fitting.size() == 1) saves = fitting;
    }
    if (saves.size() == 1) return find_source(typed(saves.front()));
    if (saves.empty())
      return fail(Trouble::input, Code::no_match,
                  fmt::format("{}: holds no save that Bay Swap knows", safe_text(named)),
                  {"'", HintPiece{Remedy::look, safe_text(named)}, "' lists what is inside"});
    constexpr std::size_t kShown = 12;
    std::vector<std::string> names;
    for (const Path& path : saves) names.push_back(safe_text(typed(path)));
    const std::size_t more = names.size() > kShown ? names.size() - kShown : 0;
    names.resize(names.size() - more);
    return fail(Trouble::stopped, Code::many_match,
                fmt::format("{}: several saves are in it, and it can't be told which is meant",
                            safe_text(named)),
                fmt::format("name one: {}{}", list_text(names),
                            more > 0 ? fmt::format(" and {} more", more) : ""));
  }

  [[nodiscard]] bool has_shelf_for_chips() const {
    return std::ranges::any_of(to_.bay().shelves,
                               [](const Shelf& shelf) { return shelf.kind != Kind::folder; });
  }

  // A file that is one of a title's, for a bay that has nothing else to do with it.
  Result<std::optional<Source>> read_file_of_title(const Path& path) {
    if (!roms_named(session_, to_, stem_of(path), "").empty()) return std::optional<Source>{};
    InspectOptions how;
    how.is = or_empty(request_.is);
    const auto found = inspect(session_, folders_, path, how);
    if (!found || is_enough(found->evidence)) return std::optional<Source>{};
    auto part = read_part_of_title(session_, to_, path, request_);
    const bool only_titles = std::ranges::all_of(
        to_.bay().shelves, [](const Shelf& shelf) { return shelf.kind == Kind::folder; });
    if (part && !*part && only_titles && found->guesses.empty())
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("{}: no title's save there has a file of this name",
                              safe_text(path.string())),
                  "name the very file that it replaces, or the title's folder, as the place");
    return part;
  }

  // A file that lies anywhere: where nothing near it tells the game, the name of a ROM at the
  // destination does, since its size alone could be many things.
  Result<Source> read_loose(const Path& path) {
    auto source = read_source(session_, folders_, path, request_, std::nullopt);
    if (!source || source->rom || source->on_shelf || !or_empty(request_.is).empty()) return source;
    if (to_.bay().exact) return read_for_exact(path);
    auto roms = roms_named(session_, to_, source->stem, or_empty(request_.game));
    if (roms.empty() && !source->state && or_empty(request_.game).empty() &&
        says_no_game(stem_of(inner_name(path)))) {
      const auto fitting = games_for(path);
      if (fitting.size() == 1) return read_for_only_game(path, *fitting.front());
      if (fitting.size() > 1) {
        for (const RomFile* rom : fitting) source->several_roms.push_back(rom->path.string());
        return source;
      }
    }
    // A size that several systems have is taken for the one that belongs there.
    if (roms.empty() && !source->state)
      if (const auto system = only_system_for(path); system && *system != source->save.system)
        return read_source(session_, folders_, path, request_, std::nullopt, system);
    const auto view = session_.storage->view(path, session_.limits.largest_file);
    if (!view || roms.empty()) return source;
    auto fitting = roms;
    std::erase_if(fitting, [&](const RomFile* rom) {
      return identify(view->bytes(), hints_of(rom->info, session_.catalog)).empty();
    });
    if (!fitting.empty()) roms = std::move(fitting);
    const System system = roms.front()->info.system;
    if (std::any_of(roms.begin(), roms.end(),
                    [&](const RomFile* rom) { return rom->info.system != system; })) {
      for (const RomFile* rom : roms) source->several_roms.push_back(rom->path.string());
      return source;
    }
    return read_source(session_, folders_, path, request_, *roms.front());
  }

  // The games there whose chip a file fits that says nothing of its game. Too many of them are no
  // answer.
  std::vector<const RomFile*> games_for(const Path& path) {
    constexpr std::size_t kMost = 6;
    std::vector<const RomFile*> fitting;
    const auto found = inspect(session_, folders_, path, {});
    if (!found || !found->ordinary.empty()) return fitting;
    for (const RomFile* rom : to_.roms_for(std::nullopt)) {
      const Hints hints = hints_of(rom->info, session_.catalog);
      if (!hints.chips || hints.chips->empty()) continue;
      const auto guesses = identify(found->view.bytes(), hints);
      if (!guesses.empty() && guesses.front().confidence != Confidence::possible)
        fitting.push_back(rom);
    }
    return fitting.size() > kMost ? std::vector<const RomFile*>{} : fitting;
  }

  Result<Source> read_for_only_game(const Path& path, const RomFile& rom) {
    auto source = read_source(session_, folders_, path, request_, rom);
    if (!source) return source;
    source->rom = rom;
    source->problems.push_back(
        {Level::note, Code::rom_match,
         fmt::format(
             "{} is the only game there whose chip fits; nothing else says that the save belongs "
             "to it",
             safe_text(rom.stem)),
         ""});
    return source;
  }

  // Of the systems that the file may be of, the only one that the destination has a shelf for.
  std::optional<System> only_system_for(const Path& path) {
    const auto found = inspect(session_, folders_, path, {});
    if (!found || is_enough(found->evidence)) return std::nullopt;
    std::set<System> systems;
    for (const Guess& guess : found->guesses)
      for (const Shelf& shelf : to_.bay().shelves)
        if (shelf.kind == Kind::battery && shelf.system == guess.layout->info().system)
          systems.insert(shelf.system);
    return systems.size() == 1 ? std::optional(*systems.begin()) : std::nullopt;
  }

  // What the file that is to be replaced tells of the one that comes.
  Result<Source> read_for_exact(const Path& path) {
    const auto& shelves = to_.bay().shelves;
    std::optional<System> system;
    if (std::ranges::all_of(
            shelves, [&](const Shelf& shelf) { return shelf.system == shelves.front().system; }))
      system = shelves.front().system;
    const auto rom = rom_of_exact_place(to_);
    return rom ? read_source(session_, folders_, path, request_, rom)
               : read_source(session_, folders_, path, request_, std::nullopt, system);
  }

  Result<std::vector<Source>> pick(std::vector<Source> sources, const std::string& text,
                                   const std::string& bay) {
    if (text.empty())
      return fail(Trouble::usage, Code::usage, "no save is named",
                  {"name a save, or add ", Remedy::game, " or ", Remedy::all_saves});
    int best = 1;
    for (const Source& source : sources)
      best = std::max(best, named_by(source, session_.catalog, text));
    std::erase_if(sources, [&](const Source& source) {
      return named_by(source, session_.catalog, text) < best;
    });
    prefer_saves(sources);
    if (sources.empty())
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("no save in {} fits '{}'", bay, safe_text(text)),
                  {"see what is there: ", HintPiece{Remedy::show_bay, bay}});
    // All slots of one game go together.
    const bool slots = std::ranges::all_of(sources, [&](const Source& source) {
      return source.state && source.stem == sources.front().stem && or_empty(request_.slot).empty();
    });
    if (const std::string account = lower_ascii(or_empty(request_.account));
        sources.size() > 1 && std::ranges::any_of(sources, [&](const Source& source) {
          return source.save.game.account == account;
        }))
      std::erase_if(sources,
                    [&](const Source& source) { return source.save.game.account != account; });
    if (sources.size() > 1 && !slots) {
      std::vector<std::string> names;
      for (const Source& source : sources) names.push_back(described(source));
      const bool accounts = std::ranges::all_of(
          sources, [](const Source& source) { return !source.save.game.account.empty(); });
      return fail(
          Trouble::stopped, Code::many_match,
          fmt::format("several saves in {} fit '{}': {}", bay, safe_text(text), list_text(names)),
          accounts ? Hint{"say which one with ", Remedy::account} : Hint("write the whole name"));
    }
    return sources;
  }

  static std::string described(const Source& source) {
    const Game& game = source.save.game;
    std::string_view more;
    std::string which;
    if (source.save.kind == Kind::card_save) {
      more = " card ";
      which = source.files.front().filename().string();
    } else if (!game.account.empty()) {
      more = " account ";
      which = game.account;
    }
    const std::string name =
        source.save.kind == Kind::folder && !game.title.empty() ? game.title : source.stem;
    return fmt::format("{} ({}{}{})", safe_text(name), to_string(source.save.system), more,
                       safe_text(which));
  }

  // A game's name means its save, where it has one; a state is then meant by its file's name.
  static void prefer_saves(std::vector<Source>& sources) {
    if (std::ranges::any_of(sources, [](const Source& source) { return !source.state; }))
      std::erase_if(sources, [](const Source& source) { return source.state; });
  }

  Findings notes_;
  Session& session_;
  RomFolders& folders_;
  BayScan& to_;  // where they go
  const CarryRequest& request_;
};

}  // namespace

Result<WantedSaves> find_wanted(Session& session, RomFolders& folders, BayScan& to,
                                const CarryRequest& request) {
  Wanted wanted(session, folders, to, request);
  auto saves = wanted.find();
  if (!saves) return tl::unexpected(saves.error());
  return WantedSaves{std::move(*saves), wanted.notes()};
}

}  // namespace bayswap
