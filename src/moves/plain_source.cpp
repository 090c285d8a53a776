#include "moves/plain_source.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>

#include "bayswap/folder.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/naming/tags.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "moves/folder_source.h"
#include "moves/titles_there.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

// The folder that holds the files: wrappers that hold nothing else are passed.
Path innermost(Storage& storage, Path folder) {
  constexpr int kDeepest = 32;
  for (int depth = 0; depth < kDeepest; ++depth) {
    const auto entries = storage.entries(folder);
    if (!entries || entries->size() != 1 || entries->front().info.type != FileType::folder)
      return folder;
    folder /= entries->front().name;
  }
  return folder;
}

// Ids stand anywhere in a name: `My Game [0005000010100a00]`, `0x10100a00`.
std::vector<std::string> ids_in(const std::string& name, const Catalog& catalog) {
  std::vector<std::string> ids{name};
  const Game game = read_title_folder_name(name, std::nullopt, catalog).game;
  for (const std::string& id : {game.title_id, game.serial})
    if (!id.empty()) ids.push_back(id);
  std::string word;
  for (const char c : name + " ") {
    const bool letter = (c >= '0' && c <= '9') || (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
    if (letter) {
      word.push_back(c);
      continue;
    }
    if (word.size() == 8 || word.size() == 16 || word.size() == 18 || word.size() == 10 ||
        (word.size() == 4 && word == upper_ascii(word)))
      ids.push_back(word);
    word.clear();
  }
  return ids;
}

class Matcher {
 public:
  Matcher(Session& session, BayScan& to, const CarryRequest& request)
      : session_(session), request_(request), titles_(titles_there(session, to)) {}

  void match(const Path& named, Source& source) {
    if (const std::string& code = or_empty(request_.code); !code.empty()) {
      const TitlesThere found = with_id(titles_, code);
      take(found, fmt::format("'{}'", safe_text(code)), source);
      return warn_of_strange_files(found, source);
    }
    if (const std::string& game = or_empty(request_.game); !game.empty()) {
      TitlesThere found = with_name(titles_, game, false);
      if (found.empty()) found = with_name(titles_, game, true);
      if (found.empty()) found = with_id(titles_, game);
      if (found.empty()) found = by_catalog(game);
      take(found, fmt::format("'{}'", safe_text(game)), source);
      return warn_of_strange_files(found, source);
    }
    std::vector<std::string> names = names_in(std::filesystem::absolute(named).native());
    std::ranges::reverse(names);
    for (const std::string& name : names)
      for (const std::string& id : ids_in(inner_name(name), session_.catalog))
        if (const TitlesThere found = with_id(titles_, id); one_title(found)) {
          note(source, fmt::format("the title of its path's '{}'", safe_text(id)));
          return take(found, id, source);
        }
    constexpr std::size_t kNames = 3;  // further up, folders are called after other things
    for (std::size_t i = 0; i < std::min(kNames, names.size()); ++i) {
      const std::string name = untagged_name(stem_of(inner_name(names[i])));
      TitlesThere found = with_name(titles_, name, false);
      if (found.empty()) found = by_catalog(name);
      if (one_title(found)) {
        note(source, fmt::format("the title called as its path's '{}'", safe_text(name)));
        return take(found, name, source);
      }
    }
    by_likeness(source);
  }

 private:
  static void note(Source& source, std::string why) {
    source.problems.push_back({Level::note, Code::rom_match, std::move(why), ""});
  }

  // The user says which title it is, and no file there has such a name.
  static void warn_of_strange_files(const TitlesThere& found, Source& source) {
    if (!one_title(found) || found.front()->save.parts.empty()) return;
    if (std::ranges::any_of(found, [&](const TitleThere* title) {
          return likeness_of(source.save.parts, title->save.parts).names > 0;
        }))
      return;
    source.problems.push_back(
        {Level::note, Code::likeness,
         fmt::format("none of its files has a name that {} has; check that it is the right game",
                     account_and_title(*found.front())),
         ""});
  }

  // Titles that the catalog knows by this name.
  [[nodiscard]] TitlesThere by_catalog(const std::string& name) const {
    TitlesThere found;
    for (const TitleThere& title : titles_) {
      const CatalogGame* known = session_.catalog.find(title.save.system, name);
      if (known == nullptr) continue;
      const bool same =
          std::ranges::any_of(
              known->title_ids,
              [&](const auto& id) { return id.second == title.save.game.title_id; }) ||
          std::ranges::any_of(
              known->codes, [&](const auto& code) { return code.second == title.save.game.code; });
      if (same) found.push_back(&title);
    }
    return found;
  }

  void take(const TitlesThere& found, const std::string& what, Source& source) const {
    if (one_title(found)) return take_title(*found.front(), source);
    if (found.empty()) {
      source.problems.push_back({Level::error,
                                 Code::no_match,
                                 fmt::format("no title's save there fits {}{}", what, seen_there()),
                                 {"start that game there once, so that its folder exists"}});
      return;
    }
    refuse_several(found, source);
  }

  void refuse_several(const TitlesThere& found, Source& source) const {
    std::vector<std::string> names;
    for (const TitleThere* title : found) names.push_back(account_and_title(*title));
    source.problems.push_back({Level::error,
                               Code::many_match,
                               fmt::format("several titles there fit: {}", list_text(names)),
                               {"choose one with ", Remedy::game, " or ", Remedy::code}});
  }

  static void take_title(const TitleThere& title, Source& source) {
    source.save.system = title.save.system;
    source.save.game = title.save.game;
    source.layouts = {title.found.layout->info().id};
    // Where no id tells, the folder itself does.
    if (title.save.game.title_id.empty() && title.save.game.code.empty() && !title.copies)
      source.folder_there = title.found.path;
  }

  [[nodiscard]] std::string seen_there() const {
    constexpr std::size_t kShown = 8;
    std::vector<std::string> names;
    for (const TitleThere& title : titles_) {
      std::string name = account_and_title(title);
      if (std::ranges::find(names, name) == names.end()) names.push_back(std::move(name));
    }
    const std::size_t more = names.size() > kShown ? names.size() - kShown : 0;
    names.resize(names.size() - more);
    return names.empty() ? std::string()
                         : fmt::format(" (there are {}{})", list_text(names),
                                       more > 0 ? fmt::format(" and {} more", more) : "");
  }

  void by_likeness(Source& source) const {
    Likeness best;
    TitlesThere alike;
    const TitleThere* nearest = nullptr;
    for (const TitleThere& title : titles_) {
      const Likeness likeness = likeness_of(source.save.parts, title.save.parts);
      if (is_alike(likeness)) alike.push_back(&title);
      if (likeness.names > 0 &&
          (nearest == nullptr || likeness.names * best.of > best.names * likeness.of ||
           (likeness.names * best.of == best.names * likeness.of && likeness.sizes > best.sizes))) {
        best = likeness;
        nearest = &title;
      }
    }
    if (one_title(alike)) {
      const Likeness likeness = likeness_of(source.save.parts, alike.front()->save.parts);
      source.problems.push_back(
          {Level::note, Code::likeness,
           fmt::format("its files are like those of {}: {} of {} names match, {} of them with the "
                       "same size",
                       account_and_title(*alike.front()), likeness.names, likeness.of,
                       likeness.sizes),
           ""});
      return take_title(*alike.front(), source);
    }
    if (!alike.empty()) return refuse_several(alike, source);
    if (nearest == nullptr) {
      source.problems.push_back(
          {Level::error,
           Code::no_match,
           fmt::format("it can't be told which title these files belong to{}", seen_there()),
           {"say it with ", Remedy::game, " or ", Remedy::code}});
      return;
    }
    take_title(*nearest, source);
    source.problems.push_back(
        {Level::error,
         Code::likeness,
         fmt::format(
             "the files are most like those of {}, but only {} of {} names match, {} of them "
             "with the same size",
             account_and_title(*nearest), best.names, best.of, best.sizes),
         {"if it is that title: ", accept_remedy(Code::likeness), "; if not, choose one with ",
          Remedy::game}});
  }

  Session& session_;
  const CarryRequest& request_;
  std::vector<TitleThere> titles_;
};

// A folder that a title keeps beside its saves, such as one with its name and picture.
std::optional<Error> beside_saves(Session& session, const Path& folder) {
  std::error_code ignored;
  const Path full = (std::filesystem::absolute(folder, ignored) / "").lexically_normal();
  const auto title = title_in_path(full.parent_path(), {}, session.catalog);
  if (!title || title->folder == full.parent_path()) return std::nullopt;
  std::vector<std::string> names;
  for (const FoundFolder& save : find_folders(*session.storage, title->folder)) {
    if (lies_in(save.path, full.parent_path())) return std::nullopt;
    if (!save.place.shared) names.push_back(safe_text(save.path.string()));
  }
  if (names.empty()) return std::nullopt;
  return Error{Trouble::stopped, Code::no_match,
               fmt::format("{}: is not a save; the title keeps it beside its saves",
                           safe_text(folder.string())),
               fmt::format("name a save of the title: {}", list_text(names))};
}

}  // namespace

Result<std::optional<Source>> read_plain_folder(Session& session, BayScan& to, const Path& folder,
                                                const CarryRequest& request) {
  if (!keeps_titles(to.bay())) return std::optional<Source>{};
  Storage& storage = *session.storage;
  const Path inside = innermost(storage, folder);
  auto parts = read_parts(storage, inside, Hold::small);
  if (!parts) return tl::unexpected(parts.error());
  if (parts->empty()) return std::optional<Source>{};
  if (auto beside = beside_saves(session, inside)) return tl::unexpected(std::move(*beside));
  Source source;
  source.save.kind = Kind::folder;
  source.save.name = archive_name(inside.filename());
  if (source.save.name.ends_with(':')) source.save.name.pop_back();
  source.save.parts = std::move(*parts);
  source.stem = archive_name(folder.filename());
  source.files = {inside};
  source.part_files.assign(source.save.parts.size(), inside.string());
  source.modified_ns = newest_below(storage, inside);
  source.on_shelf = true;
  Matcher(session, to, request).match(inside, source);
  return std::optional<Source>(std::move(source));
}

}  // namespace bayswap
