#include "moves/package_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "places/walk.h"
#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "moves/accounts.h"
#include "moves/mover.h"
#include "moves/shelf_path.h"

namespace bayswap {
namespace {

class PackageTarget {
 public:
  PackageTarget(Session& session, const Bay& bay, const Source& source, const CarryRequest& request,
                Checks& checks)
      : session_(session), bay_(bay), source_(source), request_(request), checks_(checks) {}

  Result<std::optional<TargetFile>> make() {
    if (source_.save.part("package") == nullptr)
      return stop("no-match", "one file of a package has no place of its own in a bay",
                  "carry the whole package, or put the file into one that is there: bayswap card "
                  "put PACKAGE FILE");
    std::string why;
    for (const Shelf& shelf : bay_.shelves) {
      const Layout* layout = shelf.layout.empty() ? nullptr : layouts().find(shelf.layout.front());
      const CardLayout* card = as_card(layout);
      const auto pattern = NamingPattern::parse(shelf.pattern);
      if (shelf.system != source_.save.system || card == nullptr || !pattern) continue;
      find_existing(*pattern);
      Game game = source_.save.game;
      if (!settle_region(game)) return std::optional<TargetFile>{};
      if (pattern->uses("profile")) {
        auto profile = settle_account(profiles_, game.profile, request_.account, checks_);
        if (!profile) return std::optional<TargetFile>{};
        game.profile = std::move(*profile);
      }
      const auto built = pattern->build(fields_of(game));
      if (built) {
        const auto path = shelf_path(bay_, shelf, *built, checks_);
        if (!path) return tl::unexpected(path.error());
        auto file = target_at(*path, *card, game);
        if (file && *file) (*file)->names = shelf.names;
        return file;
      }
      why = built.error().text;
    }
    return stop("no-match",
                why.empty() ? fmt::format("bay {} has no shelf for {} packages", bay_.name,
                                          to_string(source_.save.system))
                            : fmt::format("bay {}: {}", bay_.name, why),
                fmt::format("start a game there once so that a package exists, then: bayswap bay "
                            "learn {} FOLDER",
                            bay_.name));
  }

 private:
  std::optional<TargetFile> stop(const char* code, std::string text, std::string hint) {
    (void)checks_.add({Level::error, code, std::move(text), std::move(hint)});
    return std::nullopt;
  }

  void find_existing(const NamingPattern& pattern) {
    profiles_.clear();
    titles_.clear();
    walk_files(*session_.storage, bay_.place, true, [&](const Path& path, const FileInfo&) {
      const auto fields = pattern.match(path.lexically_relative(bay_.place).generic_string());
      if (!fields) return;
      if (const auto profile = fields->find("profile"); profile != fields->end())
        ++profiles_[profile->second];
      if (const auto title = fields->find("title_id"); title != fields->end())
        titles_.insert(title->second);
    });
  }

  [[nodiscard]] bool has_title(const std::string& title_id) const {
    return std::ranges::any_of(titles_, [&](const std::string& there) {
      return !there.empty() && title_id.ends_with(there);
    });
  }

  // The number itself does not tell which titles are one game; the catalog does.
  bool settle_region(Game& game) {
    if (!request_.code.empty()) {
      const auto id = parse_title_id(request_.code, "00000000");
      if (!id) {
        (void)checks_.add({Level::error, "no-match",
                           fmt::format("'{}' is no title id", safe_text(request_.code)),
                           "give 8 or 16 hex digits"});
        return false;
      }
      if (*id != game.title_id) (void)checks_.add(differs(game.title_id, *id));
      game.title_id = *id;
      return !checks_.stopped();
    }
    if (has_title(game.title_id)) return true;
    const CatalogGame* known = session_.catalog.find_code(source_.save.system, game.title_id);
    if (known == nullptr) return true;
    for (const auto& [region, id] : known->title_ids) {
      if (id == game.title_id || !has_title(id)) continue;
      (void)checks_.add(differs(game.title_id, id));
      return !checks_.stopped();
    }
    return true;
  }

  static Finding differs(const std::string& own, const std::string& there) {
    return {Level::error, "region-differs",
            fmt::format("the package belongs to title {}, and there the game is {}", own.substr(8),
                        there.substr(8)),
            fmt::format("a game does not see another title's package; to put it there all the "
                        "same: --accept region-differs --code {}",
                        there.substr(8))};
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

  Result<std::optional<TargetFile>> target_at(const Path& path, const CardLayout& layout,
                                              const Game& game) {
    TargetFile file;
    file.path = path;
    file.layout = &layout;
    file.carried = source_.save;
    file.from = {source_.shown()};
    file.bytes = source_.save.part("package")->data;
    if (auto noted = compare_whole(*session_.storage, file); !noted)
      return tl::unexpected(noted.error());
    if (game.profile != source_.save.game.profile && !source_.save.game.profile.empty())
      checks_.note({Level::note, "profile",
                    fmt::format("inside, the package still names profile {}: its signature covers "
                                "that, so it moves unchanged",
                                source_.save.game.profile),
                    "a console that checks the profile will say that the save is another's"});
    return std::optional<TargetFile>(std::move(file));
  }

  Session& session_;
  const Bay& bay_;
  const Source& source_;
  const CarryRequest& request_;
  Checks& checks_;
  std::map<std::string, std::size_t> profiles_;
  std::set<std::string> titles_;
};

}  // namespace

Result<std::optional<TargetFile>> make_package_target(Session& session, const Bay& bay,
                                                      const Source& source,
                                                      const CarryRequest& request, Checks& checks) {
  return PackageTarget(session, bay, source, request, checks).make();
}

}  // namespace bayswap
