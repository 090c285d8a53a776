#include "places/understood.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "files/full_path.h"
#include "places/find_folders.h"
#include "places/inspect.h"
#include "places/title_trees.h"

namespace bayswap {
namespace {

const Bay* bay_around(const Session& session, const Path& full) {
  const Bay* nearest = nullptr;
  for (const Bay& bay : session.bays.bays())
    if (lies_in(full_path(bay.place), full) &&
        (nearest == nullptr || bay.place.native().size() > nearest->place.native().size()))
      nearest = &bay;
  return nearest;
}

// Every layout of a system that holds chips, the usual one first.
std::vector<std::string> chip_layouts(System system) {
  std::vector<std::string> ids;
  for (const auto& layout : layouts().all())
    if (layout->info().system == system && holds_chips(*layout)) ids.push_back(layout->info().id);
  return ids;
}

// The shelves of a place that is one file: it takes the save that comes, whatever it is called.
std::vector<Shelf> shelves_of_file(const Inspection& found, const std::string& name) {
  std::vector<Shelf> shelves;
  const auto add = [&](System system, Kind kind, std::vector<std::string> layout) {
    Shelf shelf;
    shelf.system = system;
    shelf.kind = kind;
    shelf.pattern = literal_text(name);
    shelf.layout = std::move(layout);
    shelf.roms = ".";
    shelves.push_back(std::move(shelf));
  };
  if (found.state) {
    for (const System system : all_systems())
      if (!found.hints.system || *found.hints.system == system) add(system, Kind::state, {});
    return shelves;
  }
  if (found.layout() != nullptr && is_enough(found.evidence)) {
    const LayoutInfo& info = found.layout()->info();
    if (holds_chips(*found.layout()))
      add(info.system, Kind::battery, chip_layouts(info.system));
    else
      add(info.system, kind_on_shelf(literal_text(name), *found.layout()), {info.id});
    return shelves;
  }
  for (const System system : all_systems())
    if (auto ids = chip_layouts(system); !ids.empty()) add(system, Kind::battery, std::move(ids));
  return shelves;
}

Result<UnderstoodPlace> exact_file(Session& session, const std::string& text, const Path& full) {
  RomFolders folders(session);
  const auto found = inspect(session, folders, full, {});
  if (!found) return tl::unexpected(found.error());
  Bay bay;
  bay.name = text;
  bay.place = full.parent_path();
  bay.exact = true;
  bay.shelves = shelves_of_file(*found, full.filename().string());
  const std::string what = found->state ? "a save state"
                           : found->layout() != nullptr && is_enough(found->evidence)
                               ? found->layout()->info().id
                               : "a file of which nothing more is known";
  UnderstoodPlace place{text, false, true, fmt::format("the file itself: {}", what), full.string()};
  session.bays.add_for_now(std::move(bay));
  return place;
}

Result<UnderstoodPlace> exact_folder(Session& session, const std::string& text, const Path& full,
                                     const LayoutInfo& layout) {
  Bay bay;
  bay.name = text;
  bay.place = full.parent_path();
  bay.exact = true;
  Shelf shelf;
  shelf.system = layout.system;
  shelf.kind = Kind::folder;
  shelf.pattern = literal_text(full.filename().string());
  shelf.layout = {layout.id};
  bay.shelves = {std::move(shelf)};
  session.bays.add_for_now(std::move(bay));
  return UnderstoodPlace{
      text, false, true,
      fmt::format("the folder itself, with a save of {}", to_string(layout.system)), full.string()};
}

// A folder on a title's tree, with something or nothing in it yet: the place of one save, or of one
// of its copies. Nothing when it is not a part of a tree.
std::optional<UnderstoodPlace> place_in_tree(Session& session, const std::string& text,
                                             const Path& full) {
  auto tree = tree_around(*session.storage, full, session.catalog);
  if (!tree || tree->place == full) return std::nullopt;
  const std::string relative = below(tree->place, full);
  const std::size_t depth = names_in(relative).size();
  for (Shelf& shelf : tree->shelves) {
    const std::vector<std::string> pieces = names_in(shelf.pattern);
    if (depth > pieces.size()) continue;
    const auto middle = pieces.begin() + static_cast<std::ptrdiff_t>(depth);
    const auto upper = NamingPattern::parse(joined(std::vector(pieces.begin(), middle)));
    if (!upper || !upper->match(relative)) continue;
    Bay bay;
    bay.name = text;
    bay.exact = depth == pieces.size();
    bay.place = tree->place;
    std::vector<std::string> own = names_in(relative);
    for (std::string& name : own) name = literal_text(name);
    own.insert(own.end(), middle, pieces.end());
    shelf.pattern = joined(own);
    UnderstoodPlace place{
        text, false, true,
        fmt::format("the folder itself, with {} of {}",
                    bay.exact ? "a save" : "a copy for each account", to_string(shelf.system)),
        full.string()};
    bay.shelves = {std::move(shelf)};
    session.bays.add_for_now(std::move(bay));
    return place;
  }
  return std::nullopt;
}

Result<UnderstoodPlace> learned_now(Session& session, const std::string& text, const Path& full,
                                    const std::optional<Path>& rom) {
  std::optional<Path> roms;
  if (rom && !lies_in(full, full_path(*rom))) roms = full_path(*rom).parent_path();
  auto bay = learn_bay(*session.storage, session.catalog, "now", full, session.progress, {}, roms);
  if (!bay) return tl::unexpected(bay.error());
  std::vector<std::string> words;
  for (const Shelf& shelf : bay->shelves) words.push_back(words_of_shelf(shelf));
  bay->name = text;
  session.bays.add_for_now(std::move(*bay));
  return UnderstoodPlace{text,          false,
                         false,         joined(words, "; "),
                         full.string(), roms ? roms->string() : std::string()};
}

}  // namespace

std::string words_of_shelf(const Shelf& shelf) {
  const std::size_t slash = shelf.pattern.rfind('/');
  const std::string folder = slash == std::string::npos ? "." : shelf.pattern.substr(0, slash);
  std::string what(to_string(shelf.system));
  switch (shelf.kind) {
    case Kind::state: what += " save states"; break;
    case Kind::folder: what += " title folders"; break;
    case Kind::card_save: what += " memory cards"; break;
    default: what += " saves"; break;
  }
  const bool by_rom = shelf.pattern.find("{stem") != std::string::npos;
  if (by_rom && !shelf.roms.empty() && folder == shelf.roms)
    return what + " beside ROMs, named after them";
  std::string text = fmt::format("{} as {}", what, shelf.pattern);
  if (by_rom && !shelf.roms.empty())
    text += fmt::format(", named after the ROMs in {}", shelf.roms);
  return text;
}

Result<UnderstoodPlace> understand_place(Session& session, const std::string& text,
                                         const std::optional<Path>& rom) {
  const auto known = session.bays.find(text);
  if (known) return UnderstoodPlace{text, true, false, {}, {}};
  const auto info = session.storage->info(text);
  if (!info) {
    // Something that looks like a path is answered as one.
    if (text.find('/') == std::string::npos) return tl::unexpected(known.error());
    return fail(Trouble::input, Code::missing,
                fmt::format("{}: there is no such file or folder", safe_text(text)),
                {"check the path; '", Remedy::list_bays, "' shows the bays by name"});
  }
  const Path full = full_path(text);
  const bool folder = session.storage->list(text).has_value();
  if (!folder && session.storage->list(archive_root(text)).has_value() &&
      !read_rom_file(*session.storage, text, session.catalog))
    return fail(
        Trouble::stopped, Code::place_failed,
        fmt::format("{}: is an archive, and nothing is changed inside of one", safe_text(text)),
        "name the folder that the program uses");
  if (!folder) return exact_file(session, text, full);
  if (const auto found = folder_at(*session.storage, full);
      found && !found->place.shared && found->layout->info().kind == Kind::folder)
    return exact_folder(session, text, full, found->layout->info());
  // A title's folder, which holds one save: that save is meant.
  auto inside = find_folders(*session.storage, full);
  std::erase_if(inside, [](const FoundFolder& one) { return one.place.shared; });
  const bool whole_id =
      is_hex_name(full.filename().string(), 8) || is_hex_name(full.filename().string(), 16);
  if (inside.size() == 1 && whole_id && inside.front().layout->info().kind == Kind::folder)
    return exact_folder(session, text, inside.front().path, inside.front().layout->info());
  if (auto place = place_in_tree(session, text, full)) return std::move(*place);
  if (const Bay* around = bay_around(session, full))
    return UnderstoodPlace{around->name, true, false, {}, {}};
  return learned_now(session, text, full, rom);
}

}  // namespace bayswap
