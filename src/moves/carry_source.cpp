#include "moves/carry_source.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <tuple>

#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "files/archive_storage.h"
#include "moves/card_source.h"
#include "moves/cart_target.h"
#include "moves/folder_source.h"
#include "places/evidence.h"
#include "places/walk.h"
#include "reading/found_states.h"

namespace bayswap {
namespace {

void add_file(Source& source, Inspection& found) {
  source.files.push_back(found.path);
  source.modified_ns = std::max(source.modified_ns, found.info.modified_ns);
  if (!source.rom) source.rom = found.rom;
  if (found.state) {
    source.state = true;
    source.slot = slot_of(found);
    source.stem = stem_of_state(found);
    source.save.kind = Kind::state;
    source.problems.push_back(state_finding(has_state_name(inner_name(found.path))
                                                ? "its name has a slot"
                                                : "its size or form matches no save chip"));
    return;
  }
  const Layout* layout = found.layout();
  if (layout == nullptr) {
    Finding why = judge_unknown(found).front();
    why.code = why.code == Code::unknown ? Code::no_match : Code::damaged;
    why.level = Level::error;
    why.text = fmt::format("{}: {}", safe_text(inner_name(found.path)), why.text);
    source.problems.push_back(std::move(why));
    return;
  }
  source.layouts.push_back(layout->info().id);
  source.container = source.container || layout->info().parts.size() > 2;
  auto content = layout->read(found.view.bytes(), found.hints);
  if (!content) {
    source.problems.push_back(
        {Level::error, Code::damaged, content.error().text, content.error().hint});
    return;
  }
  for (Finding& finding : content->findings)
    if (finding.level == Level::error)
      source.problems.push_back({Level::error, Code::damaged, finding.text, finding.hint});
  if (content->saves.empty()) return;
  Save& save = content->saves.front();
  source.save.system = save.system;
  source.save.kind = save.kind;
  for (Part& part : save.parts) {
    const Part* there = source.save.part(part.name);
    if (there != nullptr) {
      source.problems.push_back(
          {Level::error, Code::many_match,
           fmt::format("two files hold the {} of this game: {} and {}", part.name,
                       safe_text(found.path.string()), safe_text(source.files.front().string())),
           "name the file that you want to carry"});
      continue;
    }
    source.save.parts.push_back(std::move(part));
    source.part_files.push_back(found.path.string());
  }
}

}  // namespace

std::string Source::shown() const {
  if (files.empty()) return stem;
  std::vector<std::string> names;
  for (const Path& file : files) names.push_back(file.string());
  return list_text(names);
}

Result<Source> read_source(Session& session, RomFolders& folders, const Path& path,
                           const CarryRequest& request, const std::optional<RomFile>& expected,
                           std::optional<System> system) {
  const auto info = session.storage->info(path);
  if (!info) return tl::unexpected(info.error());
  if (info->type == FileType::folder)
    return fail(Trouble::input, Code::unreadable,
                fmt::format("{}: is a folder", safe_text(path.string())),
                {"name a save file in it; '", HintPiece{Remedy::look, safe_text(path.string())},
                 "' lists them"});
  InspectOptions how;
  how.is = or_empty(request.is);
  how.rom = request.rom;
  how.expected = expected;
  how.system = system;
  auto found = inspect(session, folders, path, how);
  if (!found) return tl::unexpected(found.error());
  Source source;
  source.on_shelf = found->shelf.has_value();
  source.stem = found->shelf ? found->shelf->stem : stem_of(path);
  source.several_roms = found->several_roms;
  source.save.system = found->hints.system.value_or(System::snes);
  add_file(source, *found);
  return source;
}

std::map<System, std::size_t> states_of_bay(BayScan& scan) {
  std::map<System, std::size_t> states;
  for (const Shelf& shelf : scan.bay().shelves)
    if (const std::size_t files = shelf.kind == Kind::state ? scan.files_on(shelf).size() : 0;
        files > 0)
      states[shelf.system] += files;
  return states;
}

bool keeps_states(const Bay& bay, System system) {
  return std::ranges::any_of(bay.shelves, [&](const Shelf& shelf) {
    return shelf.kind == Kind::state && shelf.system == system;
  });
}

namespace {

// A state of a bay's shelf; nothing where the other bay keeps none of its system.
std::optional<Source> state_on_shelf(Session& session, RomFolders& folders, const Path& path,
                                     const CarryRequest& request, const Shelf& shelf) {
  const auto to = session.bays.find(request.to);
  if (!to || !keeps_states(**to, shelf.system)) return std::nullopt;
  auto source = read_source(session, folders, path, request, std::nullopt);
  if (!source || !source->state) return std::nullopt;
  source->save.system = shelf.system;
  return std::move(*source);
}

}  // namespace

Source unreadable_source(const Bay& bay, const Path& path, const Error& error) {
  Source source;
  source.stem = path == bay.place ? bay.name : stem_of(path);
  source.files = {path};
  source.problems.push_back({Level::error, error.code, error.text, error.hint});
  return source;
}

Result<std::vector<Source>> read_bay(Session& session, RomFolders& folders, BayScan& scan,
                                     const CarryRequest& request) {
  const Bay& bay = scan.bay();
  if (bay.port) return read_cart(session, bay);
  if (auto place = session.storage->list(bay.place); !place) return tl::unexpected(place.error());
  std::map<std::pair<System, std::string>, Source> gathered;
  std::vector<Source> states;
  std::vector<Source> sources;
  for (const Error& error : scan.unreadable())
    sources.push_back(unreadable_source(bay, bay.place, error));
  const auto add = [&](const Path& path) {
    const auto shelf = find_shelf(session, folders, path);
    if (!shelf || shelf->bay->name != bay.name) return;
    if (shelf->shelf->kind == Kind::state) {
      auto state = state_on_shelf(session, folders, path, request, *shelf->shelf);
      if (state) states.push_back(std::move(*state));
      return;
    }
    if (shelf->shelf->kind != Kind::battery) return;
    InspectOptions how;
    how.is = or_empty(request.is);
    auto found = inspect(session, folders, path, how);
    if (!found) {
      sources.push_back(unreadable_source(bay, path, found.error()));
      return;
    }
    // A wide pattern fits ROMs and junk too, such as a picture with the game's name.
    const bool picture = !found->ordinary.empty() && !has_save_extension(path.filename().string());
    const bool strange = found->layout() == nullptr && (picture || (!found->rom && !found->state));
    if (strange || read_rom_file(*session.storage, path, session.catalog)) return;
    // Two shelves can share a pattern; the content may then speak against the first.
    const System system =
        found->layout() != nullptr ? found->layout()->info().system : shelf->shelf->system;
    Source& source = gathered[{system, shelf->stem}];
    source.stem = shelf->stem;
    source.several_roms = found->several_roms;
    source.save.system = system;
    add_file(source, *found);
  };
  for (const WalkedFile& file : scan.files()) add(file.path());
  for (auto& [key, source] : gathered) sources.push_back(std::move(source));
  for (Source& source : read_shelf_cards(session, scan)) sources.push_back(std::move(source));
  for (Source& source : read_shelf_folders(session, scan, request))
    sources.push_back(std::move(source));
  // By slot: where only one can go, it is the first.
  std::ranges::stable_sort(states, {}, [](const Source& state) {
    return std::tuple(state.stem, state.slot.size(), state.slot);
  });
  for (Source& source : states) sources.push_back(std::move(source));
  return sources;
}

int named_by(const Source& source, const Catalog& catalog, const std::string& text) {
  if (source.stem == text) return 3;
  const std::string plain = plain_title(text);
  std::vector<std::string> titles{source.stem};
  if (source.save.kind != Kind::battery && !source.state) {
    if (!text.empty() && (source.save.game.code == text || source.save.game.serial == text ||
                          (!source.save.game.title_id.empty() &&
                           source.save.game.title_id ==
                               parse_title_id(text, source.save.game.title_id.substr(0, 8)))))
      return 2;
    titles.push_back(source.save.game.title);
    titles.push_back(source.save.comment);
  }
  if (source.rom) {
    titles.push_back(source.rom->info.game.title);
    titles.push_back(game_of(*source.rom, catalog).title);
    if (!source.rom->info.shared_code && source.rom->info.game.code == upper_ascii(text)) return 2;
  }
  for (const Path& file : source.files)
    if (file.filename().string() == text || file.stem().string() == text) return 3;
  if (plain.empty()) return 0;
  for (const std::string& title : titles)
    if (plain_title(title) == plain) return 2;
  for (const std::string& title : titles)
    if (plain_title(title).find(plain) != std::string::npos) return 1;
  return 0;
}

}  // namespace bayswap
