#include "moves/folder_source.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "places/copies.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"
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

// One copy of each title on a shelf of copies.
void add_copies(Session& session, BayScan& scan, const Shelf& shelf, const CarryRequest& request,
                std::vector<Source>& sources) {
  struct Copy {
    Path path;
    std::int64_t modified_ns = 0;
    std::size_t of = 0;  // copies of the title
  };
  std::map<std::string, Copy> chosen;  // by the title's folder
  const auto is_told = [&](const std::string& title) {
    const auto read = read_title_folder_name(title, shelf.system, session.catalog);
    return !read.game.title_id.empty() || !read.game.serial.empty() ||
           session.catalog.find(shelf.system, read.game.title) != nullptr;
  };
  // Where some folders name their titles by ids, others beside them are something else.
  const auto& folders = scan.folders_on(shelf);
  const bool by_id = std::ranges::any_of(
      folders, [&](const BayScan::OnShelf& there) { return is_told(there.fields.at("title")); });
  for (const BayScan::OnShelf& there : folders) {
    if (by_id && !is_told(there.fields.at("title"))) continue;
    const std::string& name = there.fields.at("copy");
    if (!or_empty(request.copy).empty() && name != or_empty(request.copy)) continue;
    Copy& copy = chosen[there.fields.at("title")];
    ++copy.of;
    const std::int64_t newest = newest_below(*session.storage, there.path);
    if (copy.path.empty() || newest > copy.modified_ns) {
      copy.path = there.path;
      copy.modified_ns = newest;
    }
  }
  for (const auto& [title, copy] : chosen) {
    Source source;
    source.save.system = shelf.system;
    source.save.kind = Kind::folder;
    source.save.game = read_title_folder_name(title, shelf.system, session.catalog).game;
    source.save.name = copy.path.filename().string();
    source.stem = source.save.game.title.empty() ? title : source.save.game.title;
    source.files = {copy.path};
    source.layouts = shelf.layout;
    source.modified_ns = copy.modified_ns;
    source.on_shelf = true;
    auto parts = read_parts(*session.storage, copy.path, Hold::small);
    if (!parts) {
      source.problems.push_back(
          {Level::error, Code::damaged, parts.error().text, parts.error().hint});
      sources.push_back(std::move(source));
      continue;
    }
    source.save.parts = std::move(*parts);
    source.part_files.assign(source.save.parts.size(), copy.path.string());
    if (copy.of > 1)
      source.problems.push_back(
          {Level::note, Code::rom_match,
           fmt::format("the newest of {} copies, {}", copy.of, safe_text(source.save.name)), ""});
    sources.push_back(std::move(source));
  }
}

std::string described(const Source& source) {
  const Save& save = source.save;
  std::string text = save.game.account.empty() ? save.name : save.game.account;
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
  if (sources.size() > 1) {
    std::vector<std::string> names;
    for (const Source& source : sources) names.push_back(described(source));
    return fail(Trouble::stopped, Code::many_match,
                fmt::format("{}: several saves are in it: {}", safe_text(text), list_text(names)),
                "name one of their folders");
  }
  return std::optional<Sources>(std::move(sources));
}

std::vector<Source> read_shelf_folders(Session& session, BayScan& scan,
                                       const CarryRequest& request) {
  std::vector<Source> sources;
  const Bay& bay = scan.bay();
  const auto is_for_folders = [](const Shelf& shelf) { return shelf.kind == Kind::folder; };
  if (std::ranges::none_of(bay.shelves, is_for_folders)) return sources;
  for (const Shelf& shelf : bay.shelves)
    if (holds_copies(shelf)) add_copies(session, scan, shelf, request, sources);
  for (const FoundFolder& found : scan.folder_saves()) {
    if (found.place.shared) continue;
    const bool on_shelf = std::ranges::any_of(bay.shelves, [&](const Shelf& shelf) {
      return is_for_folders(shelf) &&
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
