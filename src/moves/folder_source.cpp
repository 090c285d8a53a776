#include "moves/folder_source.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"
#include "places/walk.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

Source source_of(Session& session, Save save, const FoundFolder& found) {
  Source source;
  source.stem = save.name;
  source.files = {found.path};
  source.layouts = {found.layout->info().id};
  source.sealed = found.place.sealed;
  source.modified_ns = newest_below(*session.storage, found.path);
  source.on_shelf = true;
  add_catalog_title(session.catalog, save);
  source.part_files.assign(save.parts.size(), found.path.string());
  if (const auto tree = all_below(*session.storage, found.path))
    for (const Path& other : tree->others)
      source.problems.push_back(
          {Level::warn, Code::link,
           fmt::format("{}: is a link, a device or a leftover, and is not carried",
                       safe_text(other.string())),
           ""});
  source.save = std::move(save);
  return source;
}

Source broken_source(const FoundFolder& found, const Error& error) {
  Source source;
  source.stem = found.path.filename().string();
  source.files = {found.path};
  source.save.kind = found.layout->info().kind;
  source.save.system = found.layout->info().system;
  source.problems.push_back({Level::error, Code::damaged, error.text, error.hint});
  return source;
}

// A save of a title on a title tree: the copy that is meant, of those that there are.
struct OnTree {
  Path path;
  Game game;
  std::string folder;  // the title's, as it is called
  std::string copy;
  std::int64_t modified_ns = 0;
  std::size_t of = 0;  // copies
};

// Of each title and account the copy that the request names, or the newest. `inside`: only what
// lies there.
std::vector<OnTree> chosen_on_tree(Session& session, BayScan& scan, const Shelf& shelf,
                                   const Path& inside, const CarryRequest& request) {
  const auto text = [](const BayScan::OnTree& there, const char* field) {
    const auto found = there.fields.find(field);
    return found == there.fields.end() ? std::string() : found->second;
  };
  std::map<std::pair<std::string, std::string>, OnTree> chosen;  // by title's folder and account
  for (const BayScan::OnTree& there : scan.tree_saves(shelf)) {
    if (there.path != inside && !lies_in(inside, there.path)) continue;
    const TitleFolderName& title = there.title;
    const std::string copy = text(there, "copy");
    if (!or_empty(request.copy).empty() && holds_copies(shelf) && copy != or_empty(request.copy))
      continue;
    OnTree& best = chosen[{text(there, "title"), title.game.account}];
    ++best.of;
    const std::int64_t newest = newest_below(*session.storage, there.path);
    if (!best.path.empty() && newest <= best.modified_ns) continue;
    best.path = there.path;
    best.game = title.game;
    best.folder = text(there, "title");
    best.copy = copy;
    best.modified_ns = newest;
  }
  std::vector<OnTree> saves;
  for (auto& [key, save] : chosen) saves.push_back(std::move(save));
  return saves;
}

void add_tree_saves(Session& session, BayScan& scan, const Shelf& shelf, const Path& inside,
                    const CarryRequest& request, std::vector<Source>& sources) {
  for (const OnTree& there : chosen_on_tree(session, scan, shelf, inside, request)) {
    Source source;
    source.save.system = shelf.system;
    source.save.kind = Kind::folder;
    source.save.game = there.game;
    source.save.name = there.copy;
    source.stem = there.game.title.empty() ? there.folder : there.game.title;
    source.files = {there.path};
    source.layouts = shelf.layout;
    source.modified_ns = there.modified_ns;
    source.on_shelf = true;
    auto parts = read_parts(*session.storage, there.path, Hold::small);
    if (!parts) {
      source.problems.push_back(
          {Level::error, Code::damaged, parts.error().text, parts.error().hint});
      sources.push_back(std::move(source));
      continue;
    }
    source.save.parts = std::move(*parts);
    source.part_files.assign(source.save.parts.size(), there.path.string());
    if (there.of > 1)
      source.problems.push_back(
          {Level::note, Code::rom_match,
           fmt::format("the newest of {} copies, {}", there.of, safe_text(there.copy)), ""});
    sources.push_back(std::move(source));
  }
}

std::string described(const Source& source) {
  const Save& save = source.save;
  std::string text = save.game.title;
  if (text.empty()) text = save.game.title_id.substr(save.game.profile.empty() ? 0 : 8);
  if (text.empty()) text = save.name;
  if (!save.game.account.empty()) text += " of account " + save.game.account;
  if (!save.game.profile.empty()) text += " · " + save.name;
  std::uint64_t size = 0;
  for (const Part& part : save.parts) size += part.size();
  return fmt::format("{} ({} in {})", safe_text(text), counted(save.parts.size(), "file"),
                     size_text(size));
}

}  // namespace

std::int64_t newest_below(Storage& storage, const Path& folder) {
  std::int64_t newest = 0;
  walk_files(storage, folder, true, [&](const Path&, const FileInfo& info) {
    newest = std::max(newest, info.modified_ns);
  });
  return newest;
}

Result<std::optional<std::vector<Source>>> read_folder_sources(Session& session,
                                                               const std::string& text,
                                                               const CarryRequest& request) {
  using Sources = std::vector<Source>;
  // A link to a folder is followed: the user named it.
  if (!session.storage->list(text)) return std::optional<Sources>{};
  Sources sources;
  std::vector<FoundFolder> found;
  if (auto self = folder_at(*session.storage, text))
    found.push_back(std::move(*self));
  else
    found = find_folders(*session.storage, text);
  std::erase_if(found, [&](const FoundFolder& folder) {
    const bool of_card = folder.layout->info().kind == Kind::card_save;  // read as cards' saves are
    if (folder.place.shared || of_card) return true;
    return !or_empty(request.account).empty() && found.size() > 1 &&
           !folder.place.game.account.empty() &&
           folder.place.game.account != lower_ascii(or_empty(request.account));
  });
  for (const FoundFolder& folder : found) {
    auto save = read_found(*session.storage, folder);
    if (!save && save.error().code == Code::no_match) continue;
    sources.push_back(save ? source_of(session, std::move(*save), folder)
                           : broken_source(folder, save.error()));
  }
  if (sources.empty()) return std::optional<Sources>{};
  if (const std::string& game = or_empty(request.game); sources.size() > 1 && !game.empty()) {
    const auto fits = [&](const Source& source) {
      return named_by(source, session.catalog, game) > 0;
    };
    if (std::ranges::any_of(sources, fits))
      std::erase_if(sources, [&](const Source& source) { return !fits(source); });
  }
  if (sources.size() > 1) {
    std::vector<std::string> names;
    for (const Source& source : sources) names.push_back(described(source));
    return fail(Trouble::stopped, Code::many_match,
                fmt::format("{}: several saves are in it: {}", safe_text(text), list_text(names)),
                {"name one of their folders; or name the place with ", Remedy::from_bay,
                 " and add ", Remedy::game, " or ", Remedy::all_saves});
  }
  return std::optional<Sources>(std::move(sources));
}

Result<std::optional<std::vector<Source>>> read_tree_at(Session& session, RomFolders& folders,
                                                        const Path& folder,
                                                        const CarryRequest& request) {
  using Sources = std::vector<Source>;
  std::error_code ignored;
  const Path full =
      std::filesystem::absolute(folder / "", ignored).lexically_normal().parent_path();
  const auto bay = tree_around(*session.storage, folder, session.catalog);
  if (!bay) return std::optional<Sources>{};
  BayScan scan(session, folders, *bay);
  Sources sources;
  for (const Shelf& shelf : bay->shelves)
    add_tree_saves(session, scan, shelf, full, request, sources);
  const std::string account = lower_ascii(or_empty(request.account));
  if (sources.size() > 1 && !account.empty())
    std::erase_if(sources,
                  [&](const Source& source) { return source.save.game.account != account; });
  if (sources.size() < 2) return sources.empty() ? std::optional<Sources>{} : std::move(sources);
  std::vector<std::string> names;
  for (const Source& source : sources) names.push_back(described(source));
  return fail(
      Trouble::stopped, Code::many_match,
      fmt::format("{}: several saves are in it: {}", safe_text(folder.string()), list_text(names)),
      {"name one of their folders, or say which account with ", Remedy::account});
}

std::vector<Source> read_shelf_folders(Session& session, BayScan& scan,
                                       const CarryRequest& request) {
  std::vector<Source> sources;
  const Bay& bay = scan.bay();
  const auto is_for_folders = [](const Shelf& shelf) { return shelf.kind == Kind::folder; };
  if (std::ranges::none_of(bay.shelves, is_for_folders)) return sources;
  for (const Shelf& shelf : bay.shelves)
    if (is_title_tree(shelf)) add_tree_saves(session, scan, shelf, bay.place, request, sources);
  for (const FoundFolder& found : scan.folder_saves()) {
    if (found.place.shared) continue;
    const bool on_shelf = std::ranges::any_of(bay.shelves, [&](const Shelf& shelf) {
      return is_for_folders(shelf) && !is_title_tree(shelf) &&
             std::ranges::any_of(scan.folders_on(shelf), [&](const BayScan::OnShelf& folder) {
               return folder.path == found.path;
             });
    });
    if (!on_shelf) continue;
    auto save = read_found(*session.storage, found);
    if (!save && save.error().code == Code::no_match) continue;
    sources.push_back(save ? source_of(session, std::move(*save), found)
                           : broken_source(found, save.error()));
  }
  return sources;
}

}  // namespace bayswap
