#include "moves/titles_there.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/naming/tags.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

// The titles on a title tree, each with one of its copies.
void add_titles_of_tree(Session& session, BayScan& to, const Shelf& shelf,
                        std::vector<TitleThere>& titles) {
  const FolderLayout* layout =
      shelf.layout.empty() ? nullptr : as_folder(layouts().find(shelf.layout.front()));
  if (layout == nullptr) return;
  std::set<std::string> seen;
  for (const BayScan::OnTree& there : to.tree_saves(shelf)) {
    const auto name = there.fields.find("title");
    if (!seen.insert(name == there.fields.end() ? std::string() : name->second).second) continue;
    TitleThere title{{there.path, layout, {}}, {}, {}, true};
    title.save.system = shelf.system;
    title.save.kind = Kind::folder;
    title.save.game = there.title.game;
    title.save.game.account.clear();  // it is chosen later
    if (auto parts = read_parts(*session.storage, there.path, Hold::small))
      title.save.parts = std::move(*parts);
    if (const std::string plain = plain_title(title.save.game.title); !plain.empty())
      title.names.push_back(plain);
    titles.push_back(std::move(title));
  }
}

}  // namespace

bool keeps_titles(const Bay& bay) {
  return std::ranges::any_of(bay.shelves,
                             [](const Shelf& shelf) { return shelf.kind == Kind::folder; });
}

std::vector<TitleThere> titles_there(Session& session, BayScan& to) {
  std::vector<TitleThere> titles;
  for (const FoundFolder& found : to.folder_saves()) {
    if (found.place.shared || found.layout->info().kind != Kind::folder) continue;
    auto save = read_found(*session.storage, found);
    if (!save) continue;
    TitleThere title{found, std::move(*save), {}, false};
    add_catalog_title(session.catalog, title.save);
    for (const std::string& name :
         {title.save.game.title, title.save.comment.substr(0, title.save.comment.find('\n'))})
      if (const std::string plain = plain_title(name); !plain.empty()) title.names.push_back(plain);
    for (const std::string& name : names_in(below(to.bay().place, found.path)))
      if (const std::string plain = plain_title(untagged_name(name));
          !is_hex_name(name, 8) && !is_hex_name(name, 16) && plain.size() > 3 && plain != "data" &&
          plain != "user" && plain != "title" && plain != "save" && plain != "saves")
        title.names.push_back(plain);
    titles.push_back(std::move(title));
  }
  for (const Shelf& shelf : to.bay().shelves)
    if (is_title_tree(shelf)) add_titles_of_tree(session, to, shelf, titles);
  return titles;
}

TitlesThere with_id(const std::vector<TitleThere>& titles, const std::string& text) {
  TitlesThere found;
  for (const TitleThere& title : titles) {
    const Game& game = title.save.game;
    const std::string high =
        game.title_id.substr(0, std::min<std::size_t>(8, game.title_id.size()));
    const auto id = parse_title_id(text, high);
    const bool code = !game.code.empty() && upper_ascii(text) == game.code;
    const bool serial = !game.serial.empty() && upper_ascii(text) == game.serial;
    if ((id && *id == game.title_id) || code || serial) found.push_back(&title);
  }
  return found;
}

TitlesThere with_name(const std::vector<TitleThere>& titles, const std::string& text,
                      bool in_part) {
  const std::string plain = plain_title(text);
  TitlesThere found;
  if (plain.empty()) return found;
  for (const TitleThere& title : titles)
    if (std::ranges::any_of(title.names, [&](const std::string& name) {
          return name == plain || (in_part && name.find(plain) != std::string::npos);
        }))
      found.push_back(&title);
  return found;
}

std::string account_and_title(const TitleThere& title) {
  const Game& game = title.save.game;
  std::string text = game.title.empty() ? game.title_id : game.title;
  if (text.empty()) text = title.found.path.filename().string();
  return safe_text(text + (game.account.empty() ? "" : " of account " + game.account));
}

bool one_title(const TitlesThere& places) {
  return !places.empty() && std::ranges::all_of(places, [&](const TitleThere* place) {
    return place->save.system == places.front()->save.system &&
           place->save.game.title_id == places.front()->save.game.title_id &&
           place->save.game.code == places.front()->save.game.code &&
           (!place->save.game.title_id.empty() || places.size() == 1);
  });
}

}  // namespace bayswap
