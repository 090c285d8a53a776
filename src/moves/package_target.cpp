#include "moves/package_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "moves/accounts.h"
#include "moves/open_package.h"
#include "moves/shelf_path.h"

namespace bayswap {
namespace {

// One package, on its way to one bay.
class PackagePlacer {
 public:
  PackagePlacer(const CarryContext& context, const Source& source, const MoveReport& line,
                Checks& checks)
      : context_(context),
        bay_(context.bay()),
        source_(source),
        request_(context.request),
        line_(line),
        checks_(checks) {}

  Result<std::optional<Placement>> place() {
    const bool open = source_.save.kind == Kind::folder;
    if (!open && source_.save.part("package") == nullptr)
      return stop(Code::no_match, "one file of a package has no place of its own in a bay",
                  {"carry the whole package, or put the file into one that is there: ",
                   Remedy::put_in_package});
    std::string why;
    for (const Shelf& shelf : bay_.shelves) {
      const Layout* layout = shelf.layout.empty() ? nullptr : layouts().find(shelf.layout.front());
      const CardLayout* card = as_card(layout);
      const auto pattern = NamingPattern::parse(shelf.pattern);
      if (shelf.system != source_.save.system || card == nullptr || !pattern) continue;
      find_existing(shelf);
      Game game = source_.save.game;
      if (!check_region(game)) return std::optional<Placement>{};
      if (pattern->uses("profile")) {
        auto profile = choose_account(profiles_, game.profile, or_empty(request_.account), checks_);
        if (!profile) return std::optional<Placement>{};
        game.profile = std::move(*profile);
      }
      const auto built = pattern->build(fields_of(game));
      if (built) {
        const auto path = shelf_path(bay_, shelf, *built, checks_);
        if (!path) return tl::unexpected(path.error());
        return place_at(*path, *card, shelf.names, game);
      }
      why = built.error().text;
    }
    return stop(Code::no_match,
                why.empty() ? fmt::format("bay {} has no shelf for {} packages", bay_.name,
                                          to_string(source_.save.system))
                            : fmt::format("bay {}: {}", bay_.name, why),
                {"start a game there once so that a package exists, then: ",
                 HintPiece{Remedy::learn_bay, bay_.name}});
  }

 private:
  std::optional<Placement> stop(Code code, std::string text, Hint hint) {
    (void)checks_.add({Level::error, code, std::move(text), std::move(hint)});
    return std::nullopt;
  }

  void find_existing(const Shelf& shelf) {
    profiles_.clear();
    titles_.clear();
    existing_ = context_.there.files_on(shelf);
    for (const BayScan::OnShelf& there : existing_) {
      if (const auto profile = there.fields.find("profile"); profile != there.fields.end())
        ++profiles_[profile->second];
      if (const auto title = there.fields.find("title_id"); title != there.fields.end())
        titles_.insert(title->second);
    }
  }

  [[nodiscard]] bool has_title(const std::string& title_id) const {
    return std::ranges::any_of(titles_, [&](const std::string& there) {
      return !there.empty() && title_id.ends_with(there);
    });
  }

  // The number itself does not tell which titles are one game; the catalog does.
  bool check_region(Game& game) {
    if (!or_empty(request_.code).empty()) {
      const auto id = parse_title_id(or_empty(request_.code), "00000000");
      if (!id) {
        (void)checks_.add(
            {Level::error, Code::no_match,
             fmt::format("'{}' is not a title id", safe_text(or_empty(request_.code))),
             "give 8 or 16 hex digits"});
        return false;
      }
      if (*id != game.title_id) (void)checks_.add(differs(game.title_id, *id));
      game.title_id = *id;
      return !checks_.stopped();
    }
    if (has_title(game.title_id)) return true;
    const CatalogGame* known =
        context_.session.catalog.find_code(source_.save.system, game.title_id);
    if (known == nullptr) return true;
    for (const auto& [region, id] : known->title_ids) {
      if (id == game.title_id || !has_title(id)) continue;
      (void)checks_.add(differs(game.title_id, id));
      return !checks_.stopped();
    }
    return true;
  }

  static Finding differs(const std::string& own, const std::string& there) {
    return {Level::error,
            Code::region_differs,
            fmt::format("the package belongs to title {}, and there the game is {}", own.substr(8),
                        there.substr(8)),
            {"a game does not see another title's package; to put it there anyway: ",
             accept_remedy(Code::region_differs), " ", HintPiece{Remedy::code, there.substr(8)}}};
  }

  [[nodiscard]] Fields fields_of(const Game& game) const {
    Fields fields{{"label", source_.save.name}, {"stem", source_.save.name}};
    const auto put = [&](const char* name, const std::string& value) {
      if (!value.empty()) fields.insert_or_assign(name, value);
    };
    put("title_id", game.title_id);
    put("profile", game.profile);
    put("title", game.title);
    return fields;
  }

  Result<std::optional<Placement>> place_at(const Path& path, const CardLayout& layout,
                                            FileNames names, const Game& game) {
    const bool open = source_.save.kind == Kind::folder;
    auto bytes = open ? filled(path, layout, game)
                      : Result<std::optional<Bytes>>(source_.save.part("package")->data);
    if (!bytes) return tl::unexpected(bytes.error());
    if (!*bytes) return std::optional<Placement>{};
    auto unit = place_whole_file(context_, source_, line_, path, names, std::move(**bytes));
    if (!unit) return tl::unexpected(unit.error());
    unit->line.to_layout = layout.info().id;
    if (!open && game.profile != source_.save.game.profile && !source_.save.game.profile.empty())
      checks_.note({Level::note, Code::profile,
                    fmt::format("inside, the package still names profile {}: its signature covers "
                                "that, so it moves unchanged",
                                source_.save.game.profile),
                    "a console that checks the profile will say that the save is another's"});
    Placement placement;
    placement.units.push_back(std::move(*unit));
    return std::optional<Placement>(std::move(placement));
  }

  // Of the title's packages that a console has signed; one of a publisher breaks when it is
  // changed.
  Path youngest_of(const CardLayout& layout, const Game& game) const {
    Path youngest;
    std::int64_t newest_ns = 0;
    for (const BayScan::OnShelf& there : existing_) {
      const auto title = there.fields.find("title_id");
      if (title != there.fields.end() && !game.title_id.ends_with(title->second)) continue;
      if (!youngest.empty() && there.info.modified_ns <= newest_ns) continue;
      const auto view =
          context_.session.storage->view(there.path, context_.session.limits.largest_file);
      const auto broken = view ? layout.broken_seal(view->bytes()) : std::nullopt;
      if (!view || (broken && broken->level == Level::error)) continue;
      youngest = there.path;
      newest_ns = there.info.modified_ns;
    }
    return youngest;
  }

  // The package there, or the youngest one of the title, with the save's files in it.
  Result<std::optional<Bytes>> filled(const Path& path, const CardLayout& layout,
                                      const Game& game) {
    Storage& storage = *context_.session.storage;
    const Path mould = is_missing(storage, path) ? youngest_of(layout, game) : path;
    if (mould.empty()) {
      (void)stop(Code::no_match,
                 "a package is made by its game, and there is none of this title there yet",
                 {"save in the game there once, then: ", HintPiece{Remedy::learn_bay, bay_.name}});
      return std::optional<Bytes>{};
    }
    const auto package = storage.read(mould, context_.session.limits.largest_file);
    if (!package) return tl::unexpected(package.error());
    const auto card = layout.open(*package);
    if (!card) return tl::unexpected(card.error());
    if (card->game.title_id != game.title_id) {
      (void)checks_.add({Level::error,
                         Code::other_game,
                         fmt::format("the save belongs to title {}, the package to {}",
                                     game.title_id.substr(8), card->game.title_id.substr(8)),
                         {"if it is the same game anyway: ", accept_remedy(Code::other_game)}});
      if (checks_.stopped()) return std::optional<Bytes>{};
    }
    if (auto broken = layout.broken_seal(*package)) {
      if (broken->level == Level::note)
        checks_.note(std::move(*broken));
      else
        (void)checks_.add(std::move(*broken));
      if (checks_.stopped()) return std::optional<Bytes>{};
    }
    auto changed = filled_package(layout, *package, source_.save);
    if (!changed) return tl::unexpected(changed.error());
    if (mould != path)
      checks_.note({Level::note, Code::companion,
                    fmt::format("the package is made from {} there, and shows that one's name",
                                safe_text(mould.filename().string())),
                    ""});
    if (!changed->left.empty())
      checks_.note(
          {Level::note, Code::loses_parts,
           fmt::format("not for a package, so it stays behind: {}", list_text(changed->left)), ""});
    return std::optional<Bytes>(std::move(changed->bytes));
  }

  const CarryContext& context_;
  const Bay& bay_;
  const Source& source_;
  const CarryRequest& request_;
  const MoveReport& line_;
  Checks& checks_;
  std::map<std::string, std::size_t> profiles_;
  std::set<std::string> titles_;
  std::vector<BayScan::OnShelf> existing_;
};

class PackageTarget final : public Target {
 public:
  explicit PackageTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override {
    const bool packages = has_shelf(source.save.system, [](const Shelf& shelf) {
      return !shelf.layout.empty() && is_package(layouts().find(shelf.layout.front()));
    });
    const bool folders = has_shelf(source.save.system,
                                   [](const Shelf& shelf) { return shelf.kind == Kind::folder; });
    if (source.save.kind == Kind::folder) return packages && !folders;
    const bool package = source.save.kind == Kind::card_save && !source.layouts.empty() &&
                         is_package(layouts().find(source.layouts.front()));
    return package && (packages || !folders);
  }
  Result<std::optional<Placement>> place(const Source& source, MoveReport& line,
                                         Checks& checks) override {
    return PackagePlacer(context_, source, line, checks).place();
  }

 private:
  template <typename Fits>
  [[nodiscard]] bool has_shelf(System system, Fits fits) const {
    return std::ranges::any_of(context_.bay().shelves, [&](const Shelf& shelf) {
      return shelf.system == system && fits(shelf);
    });
  }

  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_package_target(const CarryContext& context) {
  return std::make_unique<PackageTarget>(context);
}

}  // namespace bayswap
