#include "moves/folder_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <iterator>
#include <set>

#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"
#include "core/layouts/titles/path_text.h"
#include "core/model/sony_names.h"
#include "files/version_digest.h"
#include "moves/accounts.h"
#include "moves/folder_source.h"
#include "moves/open_package.h"
#include "moves/shelf_path.h"
#include "moves/title_companions.h"
#include "places/file_names.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"
#include "places/title_trees.h"

namespace bayswap {
namespace {

std::string relative_to(const Bay& bay, const Path& path) {
  return path.lexically_relative(bay.place).generic_string();
}

// Where a save goes, and which files change there.
struct FolderPlace {
  Path folder;
  const Layout* layout = nullptr;
  Game game;                           // with the title and account that it has there
  FileNames names = FileNames::exact;  // of its shelf
  std::vector<Path> others = {};       // other saves of its title and profile, where it has names
};

struct FolderChanges {
  std::uint64_t size = 0;  // bytes of the save's files
  std::vector<FileChange> changes;
  std::map<std::string, FolderSwap::Seen> seen;  // what the plan saw there
  MoveReport::Files files;
  bool replaces = false;
  std::int64_t there_modified_ns = 0;  // of the newest file that it replaces
};

// The folder of a save at the destination, worked out from one shelf.
class FolderFinder {
 public:
  FolderFinder(const CarryContext& context, const Source& source, Checks& checks)
      : context_(context),
        session_(context.session),
        bay_(context.bay()),
        source_(source),
        request_(context.request),
        checks_(checks) {}

  Result<std::optional<FolderPlace>> find() {
    const Save& save = source_.save;
    if (source_.folder_there) return known_folder(*source_.folder_there);
    std::string why;
    bool shelf_there = false;
    bool copies = false;
    for (const Shelf& shelf : bay_.shelves) {
      if (shelf.system != save.system || shelf.kind != Kind::folder || shelf.layout.empty())
        continue;
      const FolderLayout* layout = as_folder(layouts().find(shelf.layout.front()));
      const auto pattern = NamingPattern::parse(shelf.pattern);
      if (layout == nullptr || !pattern) continue;
      shelf_there = true;
      copies = copies || holds_copies(shelf);
      existing_ = context_.there.folders_on(shelf);
      if (is_title_tree(shelf)) {
        auto place = place_on_tree(shelf, *pattern, *layout, why);
        if (!place) return tl::unexpected(place.error());
        if (*place || checks_.stopped()) return std::move(*place);
        continue;
      }
      auto game = target_game(*pattern);
      if (!game) return std::optional<FolderPlace>{};
      const auto built = folder_for(*pattern, *game, why);
      if (!built) {
        if (source_.sealed) why = sealed_text();
        continue;
      }
      const auto folder = shelf_path(bay_, shelf, *built, checks_);
      if (!folder) return tl::unexpected(folder.error());
      if (is_sealed(*layout, *folder) != source_.sealed) {
        why = sealed_text();
        continue;
      }
      if (!check_title(*layout, *folder, *game)) return std::optional<FolderPlace>{};
      return std::optional<FolderPlace>(
          {*folder, layout, *game, shelf.names, others_of(*pattern, *folder, *game)});
    }
    if (checks_.stopped()) return std::optional<FolderPlace>{};
    checks_.add({Level::error, Code::no_match,
                 shelf_there ? fmt::format("bay {}: {}", bay_.name, why)
                             : fmt::format("bay {} has no shelf for {} folders", bay_.name,
                                           to_string(save.system)),
                 copies        ? Hint("copy the game's save there once with the program that keeps "
                                             "these copies, so that its folder exists")
                 : shelf_there ? Hint("start the game there once, so that its folder exists")
                               : Hint{"start a game there once so that a folder exists, then: ",
                                      HintPiece{Remedy::learn_bay, bay_.name}}});
    return std::optional<FolderPlace>{};
  }

 private:
  using Existing = BayScan::OnShelf;

  // The title's folder there, the account that plays, and the copy that is meant.
  Result<std::optional<FolderPlace>> place_on_tree(const Shelf& shelf, const NamingPattern& pattern,
                                                   const FolderLayout& layout, std::string& why) {
    if (source_.sealed) {
      why = sealed_text();
      return std::optional<FolderPlace>{};
    }
    auto title = pattern.uses("title") ? title_on(shelf, why) : title_of_place(shelf);
    if (!title) return std::optional<FolderPlace>{};
    FolderPlace place{{}, &layout, source_.save.game, shelf.names};
    if (pattern.uses("account") && !pick_account_on_tree(shelf, place.game))
      return std::optional<FolderPlace>{};
    Fields fields{{"title", *title}, {"account", place.game.account}};
    if (holds_copies(shelf)) {
      auto copy = copy_on(shelf, pattern, fields);
      if (!copy) return tl::unexpected(copy.error());
      fields["copy"] = std::move(*copy);
    }
    const auto built = pattern.build(fields);
    if (!built) {
      why = built.error().text;
      return std::optional<FolderPlace>{};
    }
    const auto path = shelf_path(bay_, shelf, *built, checks_);
    if (!path) return tl::unexpected(path.error());
    place.folder = *path;
    return std::optional<FolderPlace>(std::move(place));
  }

  // Copies are kept for every account of a console, so the save's own is no question there.
  bool pick_account_on_tree(const Shelf& shelf, Game& game) {
    if (holds_copies(shelf) && or_empty(request_.account).empty() &&
        has_title("account", game.account))
      return true;
    return pick("account", game.account);
  }

  // The copy that the user names, an empty one that they made for it, the one that is equal, else
  // a new one: the next number, or named after the time.
  Result<std::string> copy_on(const Shelf& shelf, const NamingPattern& pattern,
                              const Fields& fields) {
    if (const std::string& named = or_empty(request_.copy); !named.empty()) {
      if (named.find('/') == std::string::npos && named != "." && named != "..") return named;
      return fail(Trouble::usage, Code::bad_name,
                  fmt::format("'{}' cannot name a copy", safe_text(named)),
                  "give a name without a path");
    }
    std::set<std::string> copies;
    bool numbers = true;
    for (const Existing& there : existing_) {
      const std::string& name = there.fields.at("copy");
      numbers = numbers && name.find_first_not_of("0123456789") == std::string::npos;
      if (there.fields.contains("title") && there.fields.at("title") != fields.at("title"))
        continue;
      copies.insert(name);
      if (there.fields.contains("account") && there.fields.at("account") != fields.at("account"))
        continue;
      const auto parts = read_parts(*session_.storage, there.path, Hold::small);
      if (parts && same_parts(*parts, source_.save.parts)) return name;
    }
    if (const std::string empty = empty_copy(shelf, pattern, fields); !empty.empty()) return empty;
    // After the progress that it holds, so that the same save makes one copy, not two.
    if (!numbers || existing_.empty()) return file_time(source_.modified_ns);
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
  std::string empty_copy(const Shelf& shelf, const NamingPattern& pattern, Fields fields) {
    static constexpr std::string_view kAny = "x";
    fields["copy"] = kAny;
    const auto built = pattern.build(fields);
    if (!built) return {};
    // The names of the pattern and of the path go together.
    const auto pieces = names_in(shelf.pattern);
    const auto at = std::ranges::find(pieces, "{copy}") - pieces.begin();
    Path above = bay_.place;
    const auto names = names_in(*built);
    for (std::ptrdiff_t i = 0; i < at; ++i) above /= names.at(static_cast<std::size_t>(i));
    if (const auto entries = session_.storage->entries(above))
      for (const NamedInfo& entry : *entries)
        if (const auto inside = session_.storage->list(above / entry.name);
            entry.info.type == FileType::folder && inside && inside->empty())
          return entry.name;
    return {};
  }

  // A place that is one title's has no folder for it. Nothing when it is another title's.
  std::optional<std::string> title_of_place(const Shelf& shelf) {
    const TitleFolderName there = title_on_tree(bay_, shelf, {}, session_.catalog);
    const Game& own = source_.save.game;
    const bool unknown = own.title_id.empty() && own.serial.empty() && own.code.empty();
    if (unknown || is_same_title(there, shelf.system, own, session_.catalog)) return std::string();
    return is_let_into(shelf.system, there.game) ? std::optional(std::string()) : std::nullopt;
  }

  // Another title's folder: another region's of the same game, or another game's.
  bool is_let_into(System system, const Game& there) {
    const auto text = [](const Game& game) {
      return safe_text(game.title_id.empty() ? game.title : game.title_id);
    };
    const bool region = is_sibling(system, there);
    const Code code = region ? Code::region_differs : Code::other_game;
    (void)checks_.add({Level::error,
                       code,
                       fmt::format("the save belongs to title {}, the folder to {}",
                                   text(source_.save.game), text(there)),
                       {region ? "a game does not see another region's save; to put it there all "
                                 "the same: "
                               : "if it is the same game all the same: ",
                        accept_remedy(code)}});
    return !checks_.stopped();
  }

  // Whether a title is another region's of the save's game.
  [[nodiscard]] bool is_sibling(System system, const Game& there) const {
    constexpr std::size_t kOfGame = 3;  // letters of a code; the last one is the region
    const Game& own = source_.save.game;
    if (own.code.size() == 4 && there.code.size() == 4 && own.code != there.code &&
        own.code.substr(0, kOfGame) == there.code.substr(0, kOfGame))
      return true;
    const CatalogGame* game = session_.catalog.find_code(system, own.title_id);
    return game != nullptr && own.title_id != there.title_id &&
           game == session_.catalog.find_code(system, there.title_id);
  }

  // What the folder of the save's title is called there; nothing when none is its own.
  std::optional<std::string> title_on(const Shelf& shelf, std::string& why) {
    std::map<std::string, const Existing*> titles;  // each with one of its saves
    const auto name_of = [](const Existing& there) {
      const auto title = there.fields.find("title");
      return title == there.fields.end() ? std::string() : title->second;
    };
    for (const Existing& there : existing_) titles[name_of(there)] = &there;
    std::vector<std::string> fitting;
    for (const auto& [title, save] : titles)
      if (is_same_title(title_on_tree(bay_, shelf, save->fields, session_.catalog), shelf.system,
                        source_.save.game, session_.catalog))
        fitting.push_back(title);
    const bool told = std::ranges::any_of(titles, [&](const auto& one) {
      return title_on_tree(bay_, shelf, one.second->fields, session_.catalog)
          .is_told(session_.catalog);
    });
    const bool named = !source_.save.game.title_id.empty() || !source_.save.game.serial.empty();
    if (fitting.empty() && (!told || !named)) {
      const auto alike = most_alike(why);
      for (const Existing& there : existing_)
        if (alike && there.path == *alike) fitting.push_back(name_of(there));
    }
    if (fitting.size() == 1) return fitting.front();
    if (fitting.empty())
      for (const auto& [title, save] : titles) {
        const Game there = title_on_tree(bay_, shelf, save->fields, session_.catalog).game;
        if (!is_sibling(shelf.system, there)) continue;
        return is_let_into(shelf.system, there) ? std::optional(title) : std::nullopt;
      }
    if (fitting.size() > 1) {
      std::vector<std::string> names;
      for (const std::string& title : fitting) names.push_back(safe_text(title));
      checks_.add({Level::error,
                   Code::many_match,
                   fmt::format("several folders there are this title's: {}", list_text(names)),
                   {"name the folder itself as the place"}});
      return std::nullopt;
    }
    if (why.empty()) why = "no folder there is called after this title, by its id or its name";
    return std::nullopt;
  }

  // The folder that the source was found to belong into.
  Result<std::optional<FolderPlace>> known_folder(const Path& folder) {
    const auto found = folder_at(*session_.storage, folder);
    if (!found)
      return fail(Trouble::stopped, Code::no_match,
                  fmt::format("{}: is no title's save any more", safe_text(folder.string())));
    FileNames names = FileNames::exact;
    for (const Shelf& shelf : bay_.shelves)
      if (shelf.kind == Kind::folder) names = shelf.names;
    return std::optional<FolderPlace>({folder, found->layout, source_.save.game, names});
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
    for (const Existing& there : existing_)
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
      if (auto above = title_in_path(folder, layout.info().system, session_.catalog))
        there = std::move(above->name);
    if (there.game.title_id.empty() || game.title_id.empty() ||
        there.game.title_id == game.title_id)
      return true;
    (void)checks_.add({Level::error,
                       Code::other_game,
                       fmt::format("the save belongs to title {}, the folder to {}", game.title_id,
                                   there.game.title_id),
                       {"if it is the same game all the same: ", accept_remedy(Code::other_game)}});
    return !checks_.stopped();
  }

  [[nodiscard]] std::string sealed_text() const {
    return source_.sealed ? "the save is sealed for its console and cannot become open files"
                          : "the saves there are sealed for their console, and this one is open";
  }

  static bool is_sealed(const FolderLayout& layout, const Path& folder) {
    const auto place = layout.place(folder.string());
    return place && place->sealed;
  }

  // The title and account that the save gets there; nothing when a check stops it.
  std::optional<Game> target_game(const NamingPattern& pattern) {
    Game game = source_.save.game;
    if (!check_region(pattern, game)) return std::nullopt;
    if (pattern.uses("account") && !pick("account", game.account)) return std::nullopt;
    if (pattern.uses("profile") && !pick("profile", game.profile)) return std::nullopt;
    return game;
  }

  bool has_title(const std::string& field, const std::string& value) const {
    return std::ranges::any_of(existing_, [&](const Existing& there) {
      const auto found = there.fields.find(field);
      return found != there.fields.end() && found->second == value;
    });
  }

  // Sibling titles of the save's own: other regions of the same game.
  std::vector<Game> siblings() const {
    std::vector<Game> found;
    const Game& own = source_.save.game;
    const auto add = [&](const std::string& title_id, const std::string& code, Region region) {
      if ((!title_id.empty() && title_id != own.title_id) || (!code.empty() && code != own.code)) {
        Game sibling = own;
        if (!title_id.empty()) sibling.title_id = title_id;
        if (!code.empty()) sibling.code = code;
        sibling.region = region;
        found.push_back(std::move(sibling));
      }
    };
    const CatalogGame* known = session_.catalog.find_code(
        source_.save.system, own.title_id.empty() ? own.code : own.title_id);
    if (known == nullptr) known = session_.catalog.find_code(source_.save.system, own.code);
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
      for (const Existing& there : existing_)
        if (const auto id = there.fields.find("title_id"); id != there.fields.end()) {
          const std::string code = code_of_title(id->second);
          if (code.size() == 4 && code.substr(0, 3) == own.code.substr(0, 3))
            add(id->second, code, region_of_letter(code[3]));
        }
    return found;
  }

  // Folders of a card's saves: their names say the region. One that is there already stays there.
  bool check_card_region() {
    const Region own = source_.save.game.region;
    std::set<Region> there;
    for (const Existing& folder : existing_) {
      const auto label = folder.fields.find("label");
      if (label == folder.fields.end()) continue;
      if (label->second == source_.save.name) return true;
      Game game;
      add_sony_game(label->second, game);
      if (game.region != Region::unknown) there.insert(game.region);
    }
    if (there.size() != 1 || own == Region::unknown || there.contains(own)) return true;
    (void)checks_.add(
        {Level::error,
         Code::region_differs,
         fmt::format("the save belongs to the game for {}, but all saves there are for {}",
                     to_string(own), to_string(*there.begin())),
         {"a game does not see saves of another region; let it through with ",
          accept_remedy(Code::region_differs)}});
    return !checks_.stopped();
  }

  // Folders that are called after a serial: another region's of the same game lies there, and none
  // of the save's own.
  bool check_labels() {
    constexpr std::size_t kSerial = 9;  // four letters and five digits
    const std::string own = source_.save.name.substr(0, kSerial);
    const CatalogGame* game = session_.catalog.find_code(source_.save.system, own);
    if (game == nullptr)
      game = session_.catalog.find_code(source_.save.system, source_.save.game.serial);
    std::set<std::string> others;
    for (const Existing& there : existing_) {
      const auto label = there.fields.find("label");
      if (label == there.fields.end()) continue;
      const std::string serial = label->second.substr(0, kSerial);
      if (serial == own) return true;
      if (game != nullptr && game == session_.catalog.find_code(source_.save.system, serial))
        others.insert(serial);
    }
    if (others.empty()) return true;
    (void)checks_.add({Level::error,
                       Code::region_differs,
                       fmt::format("the save belongs to {}, and there the game is {}",
                                   safe_text(own), list_text({others.begin(), others.end()})),
                       {"a game does not see another region's save; to put it there all the same: ",
                        accept_remedy(Code::region_differs)}});
    return !checks_.stopped();
  }

  bool check_region(const NamingPattern& pattern, Game& game) {
    if (source_.save.kind == Kind::card_save) return check_card_region();
    if (pattern.uses("label") && !pattern.uses("title_id") && or_empty(request_.code).empty())
      return check_labels();
    if (!or_empty(request_.code).empty()) {
      const std::string high =
          game.title_id.substr(0, std::min<std::size_t>(8, game.title_id.size()));
      const auto id = parse_title_id(or_empty(request_.code), high);
      const bool code_only = !id && or_empty(request_.code).size() == 4;
      if (!id && !code_only) {
        checks_.add(
            {Level::error, Code::no_match,
             fmt::format("'{}' is no title id and no code", safe_text(or_empty(request_.code))),
             "give 16 or 8 hex digits, or four letters"});
        return false;
      }
      const std::string before = game.title_id;
      if (id) game.title_id = *id;
      game.code = id ? code_of_title(*id) : or_empty(request_.code);
      game.region = game.code.empty() ? Region::unknown : region_of_letter(game.code[3]);
      if (game.title_id != before)
        (void)checks_.add(
            {Level::error,
             Code::region_differs,
             fmt::format("the save belongs to title {}, and would go to {}", before, game.title_id),
             {"a game rarely reads another region's save; let it through with ",
              accept_remedy(Code::region_differs)}});
      return !checks_.stopped();
    }
    const std::string field = pattern.uses("title_id") ? "title_id" : "code";
    const std::string& own = field == "title_id" ? game.title_id : game.code;
    if (own.empty() || has_title(field, own)) return true;
    for (const Game& sibling : siblings()) {
      const std::string& other = field == "title_id" ? sibling.title_id : sibling.code;
      if (!has_title(field, other)) continue;
      const std::string where(to_string(sibling.region));
      (void)checks_.add(
          {Level::error,
           Code::region_differs,
           fmt::format("the save belongs to {} {}, and there the game is {}{}",
                       field == "title_id" ? "title" : "code", own, other,
                       where.empty() ? "" : " (" + where + ")"),
           {"a game does not see another region's save; to put it there all the same: ",
            accept_remedy(Code::region_differs), " ", HintPiece{Remedy::code, other}}});
      return !checks_.stopped();
    }
    return true;
  }

  // The account or the profile that plays there. `own`: the save's.
  bool pick(const char* field, std::string& own) {
    std::map<std::string, std::size_t> there;
    for (const Existing& save : existing_)
      if (const auto value = save.fields.find(field); value != save.fields.end())
        ++there[value->second];
    auto chosen = choose_account(there, own, or_empty(request_.account), checks_);
    if (!chosen) return false;
    own = std::move(*chosen);
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
      const auto alike = most_alike(why);
      return alike ? std::optional(relative_to(bay_, *alike)) : std::nullopt;
    }
    const auto built = pattern.build(fields_of(game, source_.save));
    if (built) return *built;
    why = built.error().text;
    return std::nullopt;
  }

  // Folders whose names say nothing are told by how alike their files are.
  std::optional<Path> most_alike(std::string& why) {
    Likeness best;
    std::vector<Path> alike;
    const Existing* nearest = nullptr;
    for (const Existing& there : existing_) {
      const auto files = read_parts(*session_.storage, there.path, Hold::small);
      if (!files) continue;
      const Likeness likeness = likeness_of(source_.save.parts, *files);
      if (is_alike(likeness)) alike.push_back(there.path);
      if (nearest == nullptr || likeness.names * best.of > best.names * likeness.of) {
        best = likeness;
        nearest = &there;
      }
    }
    if (alike.size() > 1) {
      std::vector<std::string> names;
      for (const Path& folder : alike) names.push_back(safe_text(relative_to(bay_, folder)));
      checks_.add({Level::error, Code::many_match,
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
                      safe_text(relative_to(bay_, nearest->path)), best.names, best.of);
      return std::nullopt;
    }
    const auto files = read_parts(*session_.storage, alike.front(), Hold::small);
    const Likeness likeness = files ? likeness_of(source_.save.parts, *files) : best;
    checks_.note({Level::note, Code::likeness,
                  fmt::format("{}: {} of {} names match, {} of them with the same size",
                              safe_text(relative_to(bay_, alike.front())), likeness.names,
                              likeness.of, likeness.sizes),
                  ""});
    return alike.front();
  }

  const CarryContext& context_;
  Session& session_;
  const Bay& bay_;
  const Source& source_;
  const CarryRequest& request_;
  Checks& checks_;
  std::vector<Existing> existing_;
};

Result<bool> same_part(Storage& storage, const Part& part, const Path& from, const Part* old,
                       const Path& to) {
  if (old == nullptr || old->size() != part.size()) return false;
  if (part.outside == 0 && old->outside == 0) return same_bytes(old->data, part.data);
  return storage.same(from, to);
}

// What the plan sees at a file of the folder there.
Result<Digest> digest_there(Storage& storage, const Part& old, const Path& path) {
  return old.outside == 0 ? Result<Digest>(version_digest(old.data)) : storage.digest(path);
}

// Files of the save that are new or differ.
Result<void> plan_files(Session& session, const Source& source, const Path& folder,
                        const std::vector<Part>& there, FolderChanges& planned) {
  for (const Part& part : source.save.parts) {
    planned.size += part.size();
    const Path from = source.files.empty() ? Path() : source.files.front() / part.name;
    const Path to = folder / part.name;
    const auto old = std::ranges::find(there, part.name, &Part::name);
    auto same = same_part(*session.storage, part, from, old == there.end() ? nullptr : &*old, to);
    if (!same) return tl::unexpected(same.error());
    if (*same) {
      ++planned.files.same;
      if (old->outside == 0) planned.seen[part.name].digest = version_digest(old->data);
      continue;
    }
    FileChange change;
    change.path = to;
    if (part.outside != 0)
      change.from = from;
    else
      change.content = part.data;
    if (old != there.end()) {
      const auto seen = digest_there(*session.storage, *old, to);
      if (!seen) return tl::unexpected(seen.error());
      change.before = *seen;
    }
    ++(change.before ? planned.files.replaced : planned.files.added);
    planned.changes.push_back(std::move(change));
  }
  return {};
}

// Files there that the save does not have. A save of fewer files than are there is a part of one,
// and leaves the others alone.
Result<void> plan_others(Session& session, const Source& source, const Path& folder,
                         const std::vector<Part>& there, bool whole, FolderChanges& planned) {
  const bool part_of_it = source.save.parts.size() < there.size();
  for (const Part& old : there) {
    if (source.save.part(old.name) != nullptr) continue;
    if (part_of_it && !whole) {
      planned.files.stay.push_back(old.name);
      continue;
    }
    FileChange change;
    change.path = folder / old.name;
    const auto seen = digest_there(*session.storage, old, change.path);
    if (!seen) return tl::unexpected(seen.error());
    change.before = *seen;
    planned.files.going.push_back(old.name);
    planned.changes.push_back(std::move(change));
  }
  return {};
}

Result<FolderChanges> plan_changes(Session& session, const Source& source, const Path& folder,
                                   bool whole) {
  Storage& storage = *session.storage;
  FolderChanges planned;
  std::vector<Part> there;
  if (!is_missing(storage, folder)) {
    auto seen = files_seen(storage, folder);
    if (!seen) return tl::unexpected(seen.error());
    planned.seen = std::move(*seen);
    auto read = read_parts(storage, folder, Hold::small);
    if (!read) return tl::unexpected(read.error());
    there = std::move(*read);
    planned.there_modified_ns = newest_below(storage, folder);
  }
  planned.replaces = !there.empty();
  if (auto done = plan_files(session, source, folder, there, planned); !done)
    return tl::unexpected(done.error());
  if (auto done = plan_others(session, source, folder, there, whole, planned); !done)
    return tl::unexpected(done.error());
  return planned;
}

class FolderTarget final : public Target {
 public:
  explicit FolderTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override {
    return source.save.kind == Kind::folder || keeps_as_folder(source);
  }

  Result<std::optional<Placement>> place(const Source& given, MoveReport& line,
                                         Checks& checks) override {
    // A package becomes the files inside of it.
    const bool package =
        !given.layouts.empty() && is_package(layouts().find(given.layouts.front()));
    const auto source_or = package ? opened_package(given) : Result<Source>(given);
    if (!source_or) return tl::unexpected(source_or.error());
    const Source& source = *source_or;
    auto place = FolderFinder(context_, source, checks).find();
    if (!place) return tl::unexpected(place.error());
    if (!*place) return std::optional<Placement>{};
    const FolderPlace& there = **place;
    auto planned = plan_changes(context_.session, source, there.folder, context_.request.whole);
    if (!planned) return tl::unexpected(planned.error());
    if (!planned->replaces)
      if (auto added = add_files_beside(source, there, *planned, checks); !added)
        return tl::unexpected(added.error());
    PlacedUnit unit = unit_of(there, *planned, line);
    if (planned->replaces && !unit.line.nothing_to_do &&
        planned->there_modified_ns > source.modified_ns + time_slack_ns(there.names))
      (void)checks.add({Level::error,
                        Code::newer_there,
                        fmt::format("{}: files there are younger than the save, and differ",
                                    safe_text(there.folder.string())),
                        {"compare both with '", Remedy::look, "'; replace them with ",
                         accept_remedy(Code::newer_there), " (the old ones stay in history)"}});
    Placement placement;
    // A companion alone needs no swap of a folder that stays as it is.
    if (!unit.line.nothing_to_do) {
      placement.swap.emplace();
      placement.swap->folder = there.folder;
      placement.swap->seen = std::move(planned->seen);
    }
    if (auto added = add_companions(source, there, unit, checks); !added)
      return tl::unexpected(added.error());
    placement.units.push_back(std::move(unit));
    return std::optional<Placement>(std::move(placement));
  }

 private:
  // A card's save, where the bay has no card for it but keeps such saves as folders.
  [[nodiscard]] bool keeps_as_folder(const Source& source) const {
    const auto has = [&](Kind kind) {
      return std::ranges::any_of(context_.bay().shelves, [&](const Shelf& shelf) {
        return shelf.system == source.save.system && shelf.kind == kind;
      });
    };
    return source.save.kind == Kind::card_save && has(Kind::folder) && !has(Kind::card_save);
  }

  // A save under a new name gets what its program keeps beside each of them.
  Result<void> add_files_beside(const Source& source, const FolderPlace& there,
                                FolderChanges& planned, Checks& checks) {
    auto beside = files_beside(context_.session, there.others, source.save, there.folder);
    if (!beside) return tl::unexpected(beside.error());
    if (beside->changes.empty()) return {};
    std::vector<std::string> names;
    for (FileChange& change : beside->changes) {
      names.push_back(safe_text(change.path.filename().string()));
      planned.changes.push_back(std::move(change));
    }
    checks.note({Level::note, Code::companion,
                 fmt::format("{} {} taken from {} there, as a template: the program keeps such "
                             "files beside each save",
                             list_text(names), names.size() == 1 ? "is" : "are",
                             safe_text(beside->from.filename().string())),
                 "a name or picture in them may still be that save's until the game saves again"});
    return {};
  }

  PlacedUnit unit_of(const FolderPlace& there, FolderChanges& planned, MoveReport& line) {
    line.game = there.game;
    // The name may stand beside the save there.
    if (line.game.title.empty()) {
      Save named;
      named.system = there.layout->info().system;
      named.game = there.game;
      add_title_beside(*context_.session.storage, there.folder, named);
      line.game.title = named.game.title;
    }
    PlacedUnit unit;
    unit.line = line;
    unit.line.to = there.folder.string();
    unit.line.to_layout = there.layout->info().id;
    unit.line.size = unit.room = planned.size;
    unit.line.folder = true;
    unit.line.replaces = planned.replaces;
    unit.line.nothing_to_do = planned.changes.empty();
    unit.line.files = planned.files;
    unit.names = there.names;
    unit.changes = std::move(planned.changes);
    return unit;
  }

  Result<void> add_companions(const Source& source, const FolderPlace& there, PlacedUnit& unit,
                              Checks& checks) {
    auto companions = make_companions(context_.session, context_.bay(), source, unit.line.to);
    if (!companions) return tl::unexpected(companions.error());
    if (!there.game.account.empty()) {
      auto shared = make_shared_files(context_.session, source, there.folder);
      if (!shared) return tl::unexpected(shared.error());
      std::ranges::move(*shared, std::back_inserter(*companions));
    }
    for (CompanionFile& companion : *companions) {
      if (!companion.note.text.empty()) checks.note(companion.note);
      if (companion.change) unit.changes.push_back(std::move(*companion.change));
    }
    return {};
  }

  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_folder_target(const CarryContext& context) {
  return std::make_unique<FolderTarget>(context);
}

}  // namespace bayswap
