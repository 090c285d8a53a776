#include "moves/part_of_title.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "files/archive_storage.h"
#include "moves/titles_there.h"

namespace bayswap {
namespace {

// A file of a title's save at the destination.
struct FileOfTitle {
  const TitleThere* title;
  std::string inside;  // its path in the title's folder
};

// The titles that have a file of this name, of those that the request means.
std::vector<FileOfTitle> files_there(const std::vector<TitleThere>& titles, const std::string& name,
                                     const CarryRequest& request) {
  std::vector<FileOfTitle> places;
  for (const TitleThere& title : titles)
    for (const Part& part : title.save.parts)
      if (last_name(part.name) == name) places.push_back({&title, part.name});
  const std::string& wanted =
      or_empty(request.code).empty() ? or_empty(request.game) : or_empty(request.code);
  if (!wanted.empty())
    std::erase_if(places, [&](const FileOfTitle& place) {
      const auto fits = [&](const TitlesThere& found) {
        return std::ranges::find(found, place.title) != found.end();
      };
      return !fits(with_id(titles, wanted)) && !fits(with_name(titles, wanted, true));
    });
  if (!or_empty(request.account).empty())
    std::erase_if(places, [&](const FileOfTitle& place) {
      return place.title->save.game.account != lower_ascii(or_empty(request.account));
    });
  return places;
}

}  // namespace

Result<std::optional<Source>> read_part_of_title(Session& session, BayScan& to, const Path& file,
                                                 const CarryRequest& request) {
  if (!keeps_titles(to.bay())) return std::optional<Source>{};
  const std::string name = inner_name(file);
  const std::vector<TitleThere> titles = titles_there(session, to);
  const std::vector<FileOfTitle> places = files_there(titles, name, request);
  if (places.empty()) return std::optional<Source>{};
  if (places.size() > 1) {
    std::vector<std::string> names;
    for (const FileOfTitle& place : places)
      names.push_back(
          fmt::format("{} ({})", account_and_title(*place.title), safe_text(place.inside)));
    return fail(
        Trouble::stopped, Code::many_match,
        fmt::format("several titles there have a file {}: {}", safe_text(name), list_text(names)),
        {"choose one with ", Remedy::game, ", ", Remedy::code, " or ", Remedy::account,
         ", or name the title's folder as the place"});
  }
  const auto& [title, inside] = places.front();
  const FoundFolder& only = title->found;
  auto bytes = session.storage->read(file, session.limits.largest_file);
  if (!bytes) return tl::unexpected(bytes.error());
  Source source;
  source.save.kind = Kind::folder;
  source.save.system = only.layout->info().system;
  source.save.game = title->save.game;
  source.save.name = name;
  source.save.parts = {{inside, std::move(*bytes), false, {}}};
  source.stem = name;
  source.files = {file};
  source.part_files = {file.string()};
  source.layouts = {"one file"};
  source.folder_there = only.path;
  source.sealed = only.place.sealed;
  source.on_shelf = true;
  if (const auto info = session.storage->info(file)) source.modified_ns = info->modified_ns;
  source.problems.push_back(
      {Level::note, Code::rom_match,
       fmt::format("the only title's save there that has a file {}", safe_text(inside)), ""});
  return std::optional<Source>(std::move(source));
}

}  // namespace bayswap
