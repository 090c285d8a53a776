// Where a save that is a folder goes: its title and account there, or the folder most like it.
#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "places/file_names.h"
#include "places/walk.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "reading/card_saves.h"
#include "core/model/sony_names.h"
#include "moves/accounts.h"
#include "moves/carry_checks.h"
#include "moves/carry_folders.h"
#include "moves/shelf_path.h"
#include "files/version_digest.h"

namespace bayswap {
namespace {

std::string relative_to(const Bay& bay, const Path& path) {
  return path.lexically_relative(bay.place).generic_string();
}

// The folder of a save at the destination, worked out from one shelf.
class TargetFinder {
 public:
  TargetFinder(Session& session, const Bay& bay, const Source& source, const CarryRequest& request,
               Checks& checks)
      : session_(session), bay_(bay), source_(source), request_(request), checks_(checks) {}

  Result<std::optional<FolderTarget>> find() {
    const Save& save = source_.save;
    std::string why;
    bool shelf_there = false;
    for (const Shelf& shelf : bay_.shelves) {
      if (shelf.system != save.system || shelf.kind != Kind::folder || shelf.layout.empty())
        continue;
      const FolderLayout* layout = as_folder(layouts().find(shelf.layout.front()));
      const auto pattern = NamingPattern::parse(shelf.pattern);
      if (layout == nullptr || !pattern) continue;
      shelf_there = true;
      existing_ = folders_of(*pattern, *layout);
      auto game = target_game(*pattern);
      if (!game) return std::optional<FolderTarget>{};
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
      FolderTarget target;
      target.folder = *folder;
      target.layout = layout;
      target.names = shelf.names;
      target.game = *game;
      return std::optional<FolderTarget>(std::move(target));
    }
    if (checks_.stopped()) return std::optional<FolderTarget>{};
    checks_.add(
        {Level::error, "no-match",
         shelf_there
             ? fmt::format("bay {}: {}", bay_.name, why)
             : fmt::format("bay {} has no shelf for {} folders", bay_.name, to_string(save.system)),
         shelf_there
             ? "start the game there once, so that its folder exists"
             : fmt::format("start a game there once so that a folder exists, then: bayswap bay "
                           "learn {} FOLDER",
                           bay_.name)});
    return std::optional<FolderTarget>{};
  }

 private:
  struct Existing {
    Path folder;
    Fields fields;
  };

  std::vector<Existing> folders_of(const NamingPattern& pattern, const FolderLayout& layout) {
    std::vector<Existing> found;
    std::set<Path> seen;
    walk_files(*session_.storage, bay_.place, true, [&](const Path& file, const FileInfo&) {
      for (Path at = file.parent_path(); at != bay_.place && at != at.parent_path();
           at = at.parent_path()) {
        if (!seen.insert(at).second) return;
        const auto fields = pattern.match(relative_to(bay_, at));
        if (!fields) continue;
        const auto place = layout.place(at.string());
        if (!place || !place->shared) found.push_back({at, *fields});
      }
    });
    return found;
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
    if (!settle_region(pattern, game)) return std::nullopt;
    if (pattern.uses("account") && !choose_account(game)) return std::nullopt;
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
  bool settle_card_region() {
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
        {Level::error, "region-differs",
         fmt::format("the save belongs to the game for {}, but all saves there are for {}",
                     to_string(own), to_string(*there.begin())),
         "a game does not see saves of another region; let it through with --accept "
         "region-differs"});
    return !checks_.stopped();
  }

  bool settle_region(const NamingPattern& pattern, Game& game) {
    if (source_.save.kind == Kind::card_save) return settle_card_region();
    if (!request_.code.empty()) {
      const std::string high =
          game.title_id.substr(0, std::min<std::size_t>(8, game.title_id.size()));
      const auto id = parse_title_id(request_.code, high);
      const bool code_only = !id && request_.code.size() == 4;
      if (!id && !code_only) {
        checks_.add({Level::error, "no-match",
                     fmt::format("'{}' is no title id and no code", safe_text(request_.code)),
                     "give 16 or 8 hex digits, or four letters"});
        return false;
      }
      const std::string before = game.title_id;
      if (id) game.title_id = *id;
      game.code = id ? code_of_title(*id) : request_.code;
      game.region = game.code.empty() ? Region::unknown : region_of_letter(game.code[3]);
      if (game.title_id != before)
        (void)checks_.add(
            {Level::error, "region-differs",
             fmt::format("the save belongs to title {}, and would go to {}", before, game.title_id),
             "a game rarely reads another region's save; let it through with --accept "
             "region-differs"});
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
          {Level::error, "region-differs",
           fmt::format("the save belongs to {} {}, and there the game is {}{}",
                       field == "title_id" ? "title" : "code", own, other,
                       where.empty() ? "" : " (" + where + ")"),
           fmt::format("a game does not see another region's save; to put it there all the same: "
                       "--accept region-differs --code {}",
                       other)});
      return !checks_.stopped();
    }
    return true;
  }

  bool choose_account(Game& game) {
    std::map<std::string, std::size_t> accounts;
    for (const Existing& there : existing_)
      if (const auto account = there.fields.find("account"); account != there.fields.end())
        ++accounts[account->second];
    auto chosen = settle_account(accounts, game.account, request_.account, checks_);
    if (!chosen) return false;
    game.account = std::move(*chosen);
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
      const auto files = read_parts(*session_.storage, there.folder, Hold::small);
      if (!files) continue;
      const Likeness likeness = likeness_of(source_.save.parts, *files);
      if (is_alike(likeness)) alike.push_back(there.folder);
      if (nearest == nullptr || likeness.names * best.of > best.names * likeness.of) {
        best = likeness;
        nearest = &there;
      }
    }
    if (alike.size() > 1) {
      std::vector<std::string> names;
      for (const Path& folder : alike) names.push_back(safe_text(relative_to(bay_, folder)));
      checks_.add({Level::error, "many-match",
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
                      safe_text(relative_to(bay_, nearest->folder)), best.names, best.of);
      return std::nullopt;
    }
    const auto files = read_parts(*session_.storage, alike.front(), Hold::small);
    const Likeness likeness = files ? likeness_of(source_.save.parts, *files) : best;
    checks_.note({Level::note, "likeness",
                  fmt::format("{}: {} of {} names match, {} of them with the same size",
                              safe_text(relative_to(bay_, alike.front())), likeness.names,
                              likeness.of, likeness.sizes),
                  ""});
    return alike.front();
  }

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
Result<void> plan_files(Session& session, const Source& source, const std::vector<Part>& there,
                        FolderTarget& target) {
  for (const Part& part : source.save.parts) {
    target.size += part.size();
    const Path from = source.files.front() / part.name;
    const Path to = target.folder / part.name;
    const auto old = std::ranges::find(there, part.name, &Part::name);
    auto same = same_part(*session.storage, part, from, old == there.end() ? nullptr : &*old, to);
    if (!same) return tl::unexpected(same.error());
    if (*same) {
      ++target.files.same;
      if (old->outside == 0) target.seen[part.name].digest = version_digest(old->data);
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
    ++(change.before ? target.files.replaced : target.files.added);
    target.changes.push_back(std::move(change));
  }
  return {};
}

// Files there that the save does not have. A save of fewer files than are there is a part of one,
// and leaves the others alone.
Result<void> plan_others(Session& session, const Source& source, const std::vector<Part>& there,
                         bool whole, FolderTarget& target) {
  const bool part_of_it = source.save.parts.size() < there.size();
  for (const Part& old : there) {
    if (source.save.part(old.name) != nullptr) continue;
    if (part_of_it && !whole) {
      target.files.stay.push_back(old.name);
      continue;
    }
    FileChange change;
    change.path = target.folder / old.name;
    const auto seen = digest_there(*session.storage, old, change.path);
    if (!seen) return tl::unexpected(seen.error());
    change.before = *seen;
    target.files.going.push_back(old.name);
    target.changes.push_back(std::move(change));
  }
  return {};
}

Result<void> plan_changes(Session& session, const Source& source, bool whole,
                          FolderTarget& target) {
  Storage& storage = *session.storage;
  std::vector<Part> there;
  if (!is_missing(storage, target.folder)) {
    auto seen = files_seen(storage, target.folder);
    if (!seen) return tl::unexpected(seen.error());
    target.seen = std::move(*seen);
    auto read = read_parts(storage, target.folder, Hold::small);
    if (!read) return tl::unexpected(read.error());
    there = std::move(*read);
    target.there_modified_ns = newest_below(storage, target.folder);
  }
  target.replaces = !there.empty();
  if (auto planned = plan_files(session, source, there, target); !planned) return planned;
  if (auto planned = plan_others(session, source, there, whole, target); !planned) return planned;
  target.already_there = target.changes.empty();
  return {};
}

}  // namespace

Result<std::optional<FolderTarget>> make_folder_target(Session& session, const Bay& bay,
                                                       const Source& source,
                                                       const CarryRequest& request,
                                                       Checks& checks) {
  auto target = TargetFinder(session, bay, source, request, checks).find();
  if (!target || !*target) return target;
  if (auto planned = plan_changes(session, source, request.whole, **target); !planned)
    return tl::unexpected(planned.error());
  if ((*target)->replaces && !(*target)->already_there &&
      (*target)->there_modified_ns > source.modified_ns + time_slack_ns((*target)->names))
    (void)checks.add(
        {Level::error, "newer-there",
         fmt::format("{}: files there are younger than the save, and differ",
                     safe_text((*target)->folder.string())),
         "compare both with 'bayswap look'; replace them with --accept newer-there (the "
         "old ones stay in history)"});
  return target;
}

}  // namespace bayswap
