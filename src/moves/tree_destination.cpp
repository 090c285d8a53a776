#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>

#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/layouts/titles/path_text.h"
#include "moves/folder_destination.h"
#include "moves/regions.h"
#include "moves/shelf_path.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"

namespace bayswap {
namespace {

class TreeFinder {
 public:
  TreeFinder(FolderSearch& search, const Shelf& shelf, const NamingPattern& pattern)
      : search_(search), shelf_(shelf), pattern_(pattern) {}

  // The title's folder there, the account that plays, and the copy that is meant.
  Result<std::optional<FolderDestination>> find(const FolderLayout& layout, std::string& why) {
    if (search_.source.sealed) {
      why = search_.sealed_text();
      return std::optional<FolderDestination>{};
    }
    auto title = pattern_.uses("title") ? title_on(why) : title_of_place(why);
    if (!title) return std::optional<FolderDestination>{};
    FolderDestination place{{}, &layout, search_.source.save.game, shelf_.names};
    if (pattern_.uses("account") && !pick_account(place.game))
      return std::optional<FolderDestination>{};
    Fields fields{{"title", *title}, {"account", place.game.account}};
    if (holds_copies(shelf_)) {
      auto copy = copy_for(fields);
      if (!copy) return tl::unexpected(copy.error());
      fields["copy"] = std::move(*copy);
    }
    const auto built = pattern_.build(fields);
    if (!built) {
      why = built.error().text;
      return std::optional<FolderDestination>{};
    }
    const auto path = shelf_path(search_.bay(), shelf_, *built, search_.checks);
    if (!path) return tl::unexpected(path.error());
    place.folder = *path;
    return std::optional<FolderDestination>(std::move(place));
  }

 private:
  using Existing = FolderSearch::Existing;

  [[nodiscard]] TitleFolderName title_of(const Fields& fields) const {
    return title_on_tree(search_.bay(), shelf_, fields, search_.session.catalog);
  }

  // Copies are kept for every account of a console, so the save's own is not a question there.
  bool pick_account(Game& game) {
    if (holds_copies(shelf_) && or_empty(search_.request().account).empty() &&
        search_.has("account", game.account))
      return true;
    return search_.pick("account", game.account);
  }

  // The copy that the user names, an empty one that they made for it, the one that is equal, else
  // a new one: the next number, or named after the time.
  Result<std::string> copy_for(const Fields& fields) {
    if (const std::string& named = or_empty(search_.request().copy); !named.empty()) {
      if (named.find('/') == std::string::npos && named != "." && named != "..") return named;
      return fail(Trouble::usage, Code::bad_name,
                  fmt::format("'{}' cannot name a copy", safe_text(named)),
                  "give a name without a path");
    }
    std::set<std::string> copies;
    bool numbers = true;
    for (const Existing& there : search_.existing) {
      const std::string& name = there.fields.at("copy");
      numbers = numbers && name.find_first_not_of("0123456789") == std::string::npos;
      if (there.fields.contains("title") && there.fields.at("title") != fields.at("title"))
        continue;
      copies.insert(name);
      if (there.fields.contains("account") && there.fields.at("account") != fields.at("account"))
        continue;
      const auto parts = read_parts(*search_.session.storage, there.path, Hold::small);
      if (parts && same_parts(*parts, search_.source.save.parts)) return name;
    }
    if (const std::string empty = empty_copy(fields); !empty.empty()) return empty;
    // After the progress that it holds, so that the same save makes one copy, not two.
    if (!numbers || search_.existing.empty()) return file_time(search_.source.modified_ns);
    unsigned number = 0;
    while (copies.contains(std::to_string(number))) ++number;
    return std::to_string(number);
  }

  static bool same_parts(const std::vector<Part>& a, const std::vector<Part>& b) {
    return std::ranges::equal(a, b, [](const Part& one, const Part& other) {
      return one.name == other.name && one.outside == 0 && other.outside == 0 &&
             one.data == other.data;
    });
  }

  // A folder for a copy in which there is nothing yet.
  std::string empty_copy(Fields fields) {
    static constexpr std::string_view kAny = "x";
    fields["copy"] = kAny;
    const auto built = pattern_.build(fields);
    if (!built) return {};
    // The names of the pattern and of the path go together.
    const auto pieces = names_in(shelf_.pattern);
    const auto at = std::ranges::find(pieces, "{copy}") - pieces.begin();
    Path above = search_.bay().place;
    const auto names = names_in(*built);
    for (std::ptrdiff_t i = 0; i < at; ++i) above /= names.at(static_cast<std::size_t>(i));
    if (const auto entries = search_.session.storage->entries(above))
      for (const NamedInfo& entry : *entries)
        if (const auto inside = search_.session.storage->list(above / entry.name);
            entry.info.type == FileType::folder && inside && inside->empty())
          return entry.name;
    return {};
  }

  // A place that is one title's has no folder for it. Nothing when it is another title's.
  std::optional<std::string> title_of_place(std::string& why) {
    const TitleFolderName there = title_of({});
    const Game& own = search_.source.save.game;
    if (!there.is_told(search_.session.catalog)) return untold_place(why);
    const bool unknown = own.title_id.empty() && own.serial.empty() && own.code.empty();
    if (unknown || is_same_title(there, shelf_.system, own, search_.session.catalog))
      return std::string();
    return is_let_into(there.game) ? std::optional(std::string()) : std::nullopt;
  }

  // A place that says no title is one title's all the same: its files have to be like these.
  std::optional<std::string> untold_place(std::string& why) {
    for (const Existing& there : search_.existing) {
      const auto parts = read_parts(*search_.session.storage, there.path, Hold::small);
      if (parts && is_alike(likeness_of(search_.source.save.parts, *parts))) return std::string();
    }
    why = "the place does not say which title it keeps, and no save there has files like these";
    return std::nullopt;
  }

  // Another title's folder: another region's of the same game, or another game's.
  bool is_let_into(const Game& there) {
    const auto text = [](const Game& game) {
      return safe_text(game.title_id.empty() ? game.title : game.title_id);
    };
    const bool region = is_sibling(there);
    const Code code = region ? Code::region_differs : Code::other_game;
    (void)search_.checks.add(
        {Level::error,
         code,
         fmt::format("the save belongs to title {}, the folder to {}",
                     text(search_.source.save.game), text(there)),
         {region ? "a game does not see another region's save; to put it there anyway: "
                 : "if it is the same game anyway: ",
          accept_remedy(code)}});
    return !search_.checks.stopped();
  }

  // Whether a title is another region's of the save's game.
  [[nodiscard]] bool is_sibling(const Game& there) const {
    const Game& own = search_.source.save.game;
    const Catalog& catalog = search_.session.catalog;
    return are_siblings(shelf_.system, own.code, there.code, catalog) ||
           are_siblings(shelf_.system, own.title_id, there.title_id, catalog);
  }

  // What the folder of the save's title is called there; nothing when none is its own.
  std::optional<std::string> title_on(std::string& why) {
    std::map<std::string, const Existing*> titles;  // each with one of its saves
    const auto name_of = [](const Existing& there) {
      const auto title = there.fields.find("title");
      return title == there.fields.end() ? std::string() : title->second;
    };
    for (const Existing& there : search_.existing) titles[name_of(there)] = &there;
    std::vector<std::string> fitting;
    for (const auto& [title, save] : titles)
      if (is_same_title(title_of(save->fields), shelf_.system, search_.source.save.game,
                        search_.session.catalog))
        fitting.push_back(title);
    const bool told = std::ranges::any_of(titles, [&](const auto& one) {
      return title_of(one.second->fields).is_told(search_.session.catalog);
    });
    const bool named =
        !search_.source.save.game.title_id.empty() || !search_.source.save.game.serial.empty();
    if (fitting.empty() && (!told || !named)) {
      const auto alike = search_.most_alike(why);
      for (const Existing& there : search_.existing)
        if (alike && there.path == *alike) fitting.push_back(name_of(there));
    }
    if (fitting.size() == 1) return fitting.front();
    if (fitting.empty())
      for (const auto& [title, save] : titles) {
        const Game there = title_of(save->fields).game;
        if (!is_sibling(there)) continue;
        return is_let_into(there) ? std::optional(title) : std::nullopt;
      }
    if (fitting.size() > 1) {
      std::vector<std::string> names;
      for (const std::string& title : fitting) names.push_back(safe_text(title));
      search_.checks.add(
          {Level::error,
           Code::many_match,
           fmt::format("several folders there are this title's: {}", list_text(names)),
           {"name the folder itself as the place"}});
      return std::nullopt;
    }
    if (why.empty()) why = "no folder there is called after this title, by its id or its name";
    return std::nullopt;
  }

  FolderSearch& search_;
  const Shelf& shelf_;
  const NamingPattern& pattern_;
};

}  // namespace

Result<std::optional<FolderDestination>> find_tree_destination(FolderSearch& search,
                                                               const Shelf& shelf,
                                                               const NamingPattern& pattern,
                                                               const FolderLayout& layout,
                                                               std::string& why) {
  return TreeFinder(search, shelf, pattern).find(layout, why);
}

}  // namespace bayswap
