#include "moves/folder_destination.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/text.h"
#include "core/model/sony_names.h"
#include "moves/accounts.h"
#include "moves/shelf_path.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"

namespace bayswap {
namespace {

std::string relative_to(const Bay& bay, const Path& path) {
  return path.lexically_relative(bay.place).generic_string();
}

// Shelves whose folders bear ids, labels or nothing.
class FolderFinder {
 public:
  FolderFinder(const CarryContext& context, const Source& source, Checks& checks)
      : search_(context, source, checks) {}

  Result<std::optional<FolderDestination>> find() {
    const Save& save = search_.source.save;
    if (search_.source.folder_there) return known_folder(*search_.source.folder_there);
    std::string why;
    bool shelf_there = false;
    bool copies = false;
    for (const Shelf& shelf : search_.bay().shelves) {
      if (shelf.system != save.system || shelf.kind != Kind::folder || shelf.layout.empty())
        continue;
      const FolderLayout* layout = as_folder(layouts().find(shelf.layout.front()));
      const auto pattern = NamingPattern::parse(shelf.pattern);
      if (layout == nullptr || !pattern) continue;
      shelf_there = true;
      copies = copies || holds_copies(shelf);
      search_.existing = search_.context.there.folders_on(shelf);
      if (is_title_tree(shelf)) {
        auto place = find_tree_destination(search_, shelf, *pattern, *layout, why);
        if (!place) return tl::unexpected(place.error());
        if (*place || search_.checks.stopped()) return std::move(*place);
        continue;
      }
      auto game = target_game(*pattern);
      if (!game) return std::optional<FolderDestination>{};
      const auto built = folder_for(*pattern, *game, why);
      if (!built) {
        if (search_.source.sealed) why = search_.sealed_text();
        continue;
      }
      const auto folder = shelf_path(search_.bay(), shelf, *built, search_.checks);
      if (!folder) return tl::unexpected(folder.error());
      if (is_sealed(*layout, *folder) != search_.source.sealed) {
        why = search_.sealed_text();
        continue;
      }
      if (!check_title(*layout, *folder, *game)) return std::optional<FolderDestination>{};
      return std::optional<FolderDestination>(
          {*folder, layout, *game, shelf.names, others_of(*pattern, *folder, *game)});
    }
    if (search_.checks.stopped()) return std::optional<FolderDestination>{};
    search_.checks.add({Level::error, Code::no_match,
                        shelf_there ? fmt::format("bay {}: {}", search_.bay().name, why)
                                    : fmt::format("bay {} has no shelf for {} folders",
                                                  search_.bay().name, to_string(save.system)),
                        copies ? Hint("copy the game's save there once with the program that keeps "
                                      "these copies, so that its folder exists")
                        : shelf_there
                            ? Hint("start the game there once, so that its folder exists")
                            : Hint{"start a game there once so that a folder exists, then: ",
                                   HintPiece{Remedy::learn_bay, search_.bay().name}}});
    return std::optional<FolderDestination>{};
  }

 private:
  using Existing = FolderSearch::Existing;

  // The folder that the source was found to belong into.
  Result<std::optional<FolderDestination>> known_folder(const Path& folder) {
    const auto found = folder_at(*search_.session.storage, folder);
    if (!found)
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("{}: is not a title's save any more", safe_text(folder.string())));
    FileNames names = FileNames::exact;
    for (const Shelf& shelf : search_.bay().shelves)
      if (shelf.kind == Kind::folder) names = shelf.names;
    return std::optional<FolderDestination>(
        {folder, found->layout, search_.source.save.game, names});
  }

  // A title that has several saves under names of their own.
  [[nodiscard]] std::vector<Path> others_of(const NamingPattern& pattern, const Path& own,
                                            const Game& game) const {
    std::vector<Path> others;
    if (!pattern.uses("label") || !pattern.uses("title_id")) return others;
    const auto is = [](const Existing& there, const char* field, const std::string& value) {
      const auto found = there.fields.find(field);
      return found == there.fields.end() || value.ends_with(found->second) ||
             found->second.ends_with(value);
    };
    for (const Existing& there : search_.existing)
      if (there.path != own && is(there, "title_id", game.title_id) &&
          is(there, "profile", game.profile))
        others.push_back(there.path);
    return others;
  }

  // A folder is replaced by a save of its own title only, whatever its shelf says.
  bool check_title(const FolderLayout& layout, const Path& folder, const Game& game) {
    const auto place = layout.place(folder.string());
    TitleFolderName there{layout.info().system, place ? place->game : Game{}};
    if (there.game.title_id.empty())
      if (auto above = title_in_path(folder, layout.info().system, search_.session.catalog))
        there = std::move(above->name);
    if (there.game.title_id.empty() || game.title_id.empty() ||
        there.game.title_id == game.title_id)
      return true;
    (void)search_.checks.add(
        {Level::error,
         Code::other_game,
         fmt::format("the save belongs to title {}, the folder to {}", game.title_id,
                     there.game.title_id),
         {"if it is the same game anyway: ", accept_remedy(Code::other_game)}});
    return !search_.checks.stopped();
  }

  static bool is_sealed(const FolderLayout& layout, const Path& folder) {
    const auto place = layout.place(folder.string());
    return place && place->sealed;
  }

  // The title and account that the save gets there; nothing when a check stops it.
  std::optional<Game> target_game(const NamingPattern& pattern) {
    Game game = search_.source.save.game;
    if (!check_region(pattern, game)) return std::nullopt;
    if (pattern.uses("account") && !search_.pick("account", game.account)) return std::nullopt;
    if (pattern.uses("profile") && !search_.pick("profile", game.profile)) return std::nullopt;
    return game;
  }

  // Sibling titles of the save's own: other regions of the same game.
  std::vector<Game> siblings() const {
    std::vector<Game> found;
    const Game& own = search_.source.save.game;
    const auto add = [&](const std::string& title_id, const std::string& code, Region region) {
      if ((!title_id.empty() && title_id != own.title_id) || (!code.empty() && code != own.code)) {
        Game sibling = own;
        if (!title_id.empty()) sibling.title_id = title_id;
        if (!code.empty()) sibling.code = code;
        sibling.region = region;
        found.push_back(std::move(sibling));
      }
    };
    const CatalogGame* known = search_.session.catalog.find_code(
        search_.source.save.system, own.title_id.empty() ? own.code : own.title_id);
    if (known == nullptr)
      known = search_.session.catalog.find_code(search_.source.save.system, own.code);
    if (known != nullptr) {
      for (const auto& [region, id] : known->title_ids) add(id, code_of_title(id), region);
      for (const auto& [region, code] : known->codes)
        add(own.title_id.size() == 16 && code.size() == 4
                ? parse_title_id(code, own.title_id.substr(0, 8)).value_or("")
                : std::string(),
            code, region);
    }
    // Where the id spells a code, its last letter is the region.
    if (own.code.size() == 4 && own.title_id.size() == 16)
      for (const Existing& there : search_.existing)
        if (const auto id = there.fields.find("title_id"); id != there.fields.end()) {
          const std::string code = code_of_title(id->second);
          if (code.size() == 4 && code.substr(0, 3) == own.code.substr(0, 3))
            add(id->second, code, region_of_letter(code[3]));
        }
    return found;
  }

  // Folders of a card's saves: their names say the region. One that is there already stays there.
  bool check_card_region() {
    const Region own = search_.source.save.game.region;
    std::set<Region> there;
    for (const Existing& folder : search_.existing) {
      const auto label = folder.fields.find("label");
      if (label == folder.fields.end()) continue;
      if (label->second == search_.source.save.name) return true;
      Game game;
      add_sony_game(label->second, game);
      if (game.region != Region::unknown) there.insert(game.region);
    }
    if (there.size() != 1 || own == Region::unknown || there.contains(own)) return true;
    (void)search_.checks.add(
        {Level::error,
         Code::region_differs,
         fmt::format("the save belongs to the game for {}, but all saves there are for {}",
                     to_string(own), to_string(*there.begin())),
         {"a game does not see saves of another region; let it through with ",
          accept_remedy(Code::region_differs)}});
    return !search_.checks.stopped();
  }

  // Folders that are called after a serial: another region's of the same game lies there, and none
  // of the save's own.
  bool check_labels() {
    constexpr std::size_t kSerial = 9;  // four letters and five digits
    const std::string own = search_.source.save.name.substr(0, kSerial);
    const CatalogGame* game = search_.session.catalog.find_code(search_.source.save.system, own);
    if (game == nullptr)
      game = search_.session.catalog.find_code(search_.source.save.system,
                                               search_.source.save.game.serial);
    std::set<std::string> others;
    for (const Existing& there : search_.existing) {
      const auto label = there.fields.find("label");
      if (label == there.fields.end()) continue;
      const std::string serial = label->second.substr(0, kSerial);
      if (serial == own) return true;
      if (game != nullptr &&
          game == search_.session.catalog.find_code(search_.source.save.system, serial))
        others.insert(serial);
    }
    if (others.empty()) return true;
    (void)search_.checks.add(
        {Level::error,
         Code::region_differs,
         fmt::format("the save belongs to {}, and there the game is {}", safe_text(own),
                     list_text({others.begin(), others.end()})),
         {"a game does not see another region's save; to put it there anyway: ",
          accept_remedy(Code::region_differs)}});
    return !search_.checks.stopped();
  }

  bool check_region(const NamingPattern& pattern, Game& game) {
    if (search_.source.save.kind == Kind::card_save) return check_card_region();
    if (pattern.uses("label") && !pattern.uses("title_id") &&
        or_empty(search_.request().code).empty())
      return check_labels();
    if (!or_empty(search_.request().code).empty()) {
      const std::string high =
          game.title_id.substr(0, std::min<std::size_t>(8, game.title_id.size()));
      const auto id = parse_title_id(or_empty(search_.request().code), high);
      const bool code_only = !id && or_empty(search_.request().code).size() == 4;
      if (!id && !code_only) {
        search_.checks.add({Level::error, Code::no_match,
                            fmt::format("'{}' is neither a title id nor a code",
                                        safe_text(or_empty(search_.request().code))),
                            "give 16 or 8 hex digits, or four letters"});
        return false;
      }
      const std::string before = game.title_id;
      if (id) game.title_id = *id;
      game.code = id ? code_of_title(*id) : or_empty(search_.request().code);
      game.region = game.code.empty() ? Region::unknown : region_of_letter(game.code[3]);
      if (game.title_id != before)
        (void)search_.checks.add(
            {Level::error,
             Code::region_differs,
             fmt::format("the save belongs to title {}, and would go to {}", before, game.title_id),
             {"a game rarely reads another region's save; let it through with ",
              accept_remedy(Code::region_differs)}});
      return !search_.checks.stopped();
    }
    const std::string field = pattern.uses("title_id") ? "title_id" : "code";
    const std::string& own = field == "title_id" ? game.title_id : game.code;
    if (own.empty() || search_.has(field, own)) return true;
    for (const Game& sibling : siblings()) {
      const std::string& other = field == "title_id" ? sibling.title_id : sibling.code;
      if (!search_.has(field, other)) continue;
      const std::string where(to_string(sibling.region));
      (void)search_.checks.add(
          {Level::error,
           Code::region_differs,
           fmt::format("the save belongs to {} {}, and there the game is {}{}",
                       field == "title_id" ? "title" : "code", own, other,
                       where.empty() ? "" : " (" + where + ")"),
           {"a game does not see another region's save; to put it there anyway: ",
            accept_remedy(Code::region_differs), " ", HintPiece{Remedy::code, other}}});
      return !search_.checks.stopped();
    }
    return true;
  }

  static Fields fields_of(const Game& game, const Save& save) {
    Fields fields;
    const auto put = [&](const char* name, const std::string& value) {
      if (!value.empty()) fields.emplace(name, value);
    };
    put("title_id", game.title_id);
    put("code", game.code);
    put("serial", game.serial);
    put("account", game.account);
    put("profile", game.profile);
    put("label", save.name);
    put("title", game.title);
    put("region", std::string(to_string(game.region)));
    return fields;
  }

  // Relative to the bay.
  std::optional<std::string> folder_for(const NamingPattern& pattern, const Game& game,
                                        std::string& why) {
    if (pattern.uses("stem")) {
      const auto alike = search_.most_alike(why);
      return alike ? std::optional(relative_to(search_.bay(), *alike)) : std::nullopt;
    }
    const auto built = pattern.build(fields_of(game, search_.source.save));
    if (built) return *built;
    why = built.error().text;
    return std::nullopt;
  }

  FolderSearch search_;
};

}  // namespace

bool FolderSearch::has(const std::string& field, const std::string& value) const {
  return std::ranges::any_of(existing, [&](const Existing& there) {
    const auto found = there.fields.find(field);
    return found != there.fields.end() && found->second == value;
  });
}

// The account or the profile that plays there. `own`: the save's.
bool FolderSearch::pick(const char* field, std::string& own) {
  std::map<std::string, std::size_t> there;
  for (const Existing& save : existing)
    if (const auto value = save.fields.find(field); value != save.fields.end())
      ++there[value->second];
  auto chosen = choose_account(there, own, or_empty(request().account), checks);
  if (!chosen) return false;
  own = std::move(*chosen);
  return true;
}

// Folders whose names say nothing are told by how alike their files are.
std::optional<Path> FolderSearch::most_alike(std::string& why) {
  Likeness best;
  std::vector<Path> alike;
  const Existing* nearest = nullptr;
  for (const Existing& there : existing) {
    const auto files = read_parts(*session.storage, there.path, Hold::small);
    if (!files) continue;
    const Likeness likeness = likeness_of(source.save.parts, *files);
    if (is_alike(likeness)) alike.push_back(there.path);
    if (nearest == nullptr || likeness.names * best.of > best.names * likeness.of) {
      best = likeness;
      nearest = &there;
    }
  }
  if (alike.size() > 1) {
    std::vector<std::string> names;
    for (const Path& folder : alike) names.push_back(safe_text(relative_to(bay(), folder)));
    checks.add({Level::error, Code::many_match,
                fmt::format("several folders there hold files like these: {}", list_text(names)),
                "start the game there and look which of them changes"});
    return std::nullopt;
  }
  if (alike.empty()) {
    why = nearest == nullptr
              ? std::string("there is no folder that it could be compared with")
              : fmt::format(
                    "no folder there holds files like these; the nearest, {}, has {} of "
                    "{} names",
                    safe_text(relative_to(bay(), nearest->path)), best.names, best.of);
    return std::nullopt;
  }
  const auto files = read_parts(*session.storage, alike.front(), Hold::small);
  const Likeness likeness = files ? likeness_of(source.save.parts, *files) : best;
  checks.note({Level::note, Code::likeness,
               fmt::format("{}: {} of {} names match, {} of them with the same size",
                           safe_text(relative_to(bay(), alike.front())), likeness.names,
                           likeness.of, likeness.sizes),
               ""});
  return alike.front();
}

std::string FolderSearch::sealed_text() const {
  return source.sealed ? "the save is sealed for its console and cannot become open files"
                       : "the saves there are sealed for their console, and this one is open";
}

Result<std::optional<FolderDestination>> find_folder_destination(const CarryContext& context,
                                                                 const Source& source,
                                                                 Checks& checks) {
  return FolderFinder(context, source, checks).find();
}

}  // namespace bayswap
