#include "moves/carry_cards.h"
#include "places/companion.h"

#include <fmt/core.h>

#include <algorithm>

#include "places/walk.h"
#include "bayswap/card_file.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "reading/card_saves.h"
#include "reading/open_card.h"
#include "moves/mover.h"
#include "moves/shelf_path.h"
#include "core/naming/tags.h"

namespace bayswap {
namespace {

std::int64_t ns_of(Time time) {
  return std::chrono::duration_cast<std::chrono::nanoseconds>(time.time_since_epoch()).count();
}

const std::string& code_of(const Save& save) {
  return save.game.serial.empty() ? save.game.code : save.game.serial;
}

Source source_of(Session& session, Save save, const Path& path, const std::string& layout,
                 std::int64_t modified_ns, const Findings& findings) {
  Source source;
  source.stem = save.name;
  source.files = {path};
  source.layouts = {layout};
  source.modified_ns = save.modified ? ns_of(*save.modified) : modified_ns;
  source.on_shelf = true;
  for (const Finding& finding : findings)
    if (finding.level == Level::error)
      source.problems.push_back({Level::error, "damaged", finding.text, finding.hint});
  add_catalog_title(session.catalog, save);
  source.part_files.assign(save.parts.size(), path.string());
  source.save = std::move(save);
  return source;
}

void add_card(Session& session, const Path& path, const CardLayout& layout, ByteView bytes,
              std::int64_t modified_ns, std::vector<Source>& sources) {
  if (layout.card_info().package) {
    Hints hints;
    hints.file_name = path.filename().string();
    if (auto whole = layout.read(bytes, hints))
      sources.push_back(source_of(session, std::move(whole->saves.front()), path, layout.info().id,
                                  modified_ns, whole->findings));
    return;
  }
  auto card = layout.open(bytes);
  if (!card) return;
  for (CardSave& on_card : card->saves)
    sources.push_back(source_of(session, std::move(on_card.save), path, layout.info().id,
                                modified_ns, on_card.findings));
}

bool known(Region region) {
  return region != Region::unknown && region != Region::any;
}

Finding region_differs(const Save& save, Region there, const std::string& why) {
  return {Level::error, "region-differs",
          fmt::format("the save belongs to the game for {}, but {} {}", to_string(save.game.region),
                      why, to_string(there)),
          "a game does not see saves of another region: label it with 'bayswap reshape CARD:NAME "
          "--code CODE -o OUT' and carry that, or let it through with --accept region-differs"};
}

// One card of the bay that the save could go to.
struct Choice {
  const Shelf* shelf = nullptr;
  const CardLayout* layout = nullptr;
  Path path;
  std::optional<FileView> there;
  Bytes planned;  // what the plan has made of it so far
  std::int64_t modified_ns = 0;
  Card card;
  bool holds_it = false;
  bool named_for_it = false;
  Region region = Region::unknown;  // of its saves, when they agree

  [[nodiscard]] ByteView bytes() const {
    return planned.empty() && there ? there->bytes() : ByteView(planned);
  }
};

Region common_region(const Card& card) {
  Region common = Region::unknown;
  for (const CardSave& on_card : card.saves) {
    const Region region = on_card.save.game.region;
    if (!known(region)) continue;
    if (known(common) && region != common) return Region::unknown;
    common = region;
  }
  return common;
}

class CardTarget {
 public:
  CardTarget(Session& session, RomFolders& folders, const Bay& bay, const Source& source,
             const PlannedCards& planned, Checks& checks)
      : session_(session),
        folders_(folders),
        bay_(bay),
        source_(source),
        planned_(planned),
        checks_(checks) {}

  Result<std::optional<TargetFile>> make() {
    for (const Shelf& shelf : bay_.shelves)
      if (shelf.system == source_.save.system && shelf.kind == Kind::card_save)
        shelves_.push_back(&shelf);
    if (shelves_.empty()) {
      checks_.add(
          {Level::error, "no-match",
           fmt::format("bay {} has no shelf for saves of {} cards", bay_.name,
                       to_string(source_.save.system)),
           in_containers()
               ? "put it onto a card inside the game's own file: bayswap card put FILE:PART "
                 "SAVE"
               : fmt::format("start a game there once so that a card exists, then: bayswap "
                             "bay learn {} FOLDER",
                             bay_.name)});
      return std::optional<TargetFile>{};
    }
    check_roms();
    find_cards();
    if (choices_.empty()) return single_file();
    return onto_card(best_choice());
  }

 private:
  // Whether files there hold such cards as parts.
  bool in_containers() const {
    return std::ranges::any_of(bay_.shelves, [&](const Shelf& shelf) {
      const Layout* layout = shelf.layout.empty() ? nullptr : layouts().find(shelf.layout.front());
      return shelf.system == source_.save.system && layout != nullptr &&
             layout->info().parts.size() > 2;
    });
  }

  // A game's disc that lies there and belongs to another region.
  void check_roms() {
    bool same = false;
    Region other = Region::unknown;
    for (const Shelf& shelf : bay_.shelves) {
      if (shelf.system != source_.save.system) continue;
      for (const RomFile* known : folders_.of_shelf(bay_, shelf).roms()) {
        const RomFile& rom = *known;
        const std::string& code =
            rom.info.game.serial.empty() ? rom.info.game.code : rom.info.game.serial;
        if (rom.info.system != source_.save.system || code.empty()) continue;
        same = same || code == code_of(source_.save);
        if (is_sibling(code) && rom.info.game.region != source_.save.game.region)
          other = rom.info.game.region;
      }
    }
    if (!same && known(other) && known(source_.save.game.region))
      checks_.add(region_differs(source_.save, other, "the game there is the one for"));
  }

  // Another region's code of the same game.
  bool is_sibling(const std::string& code) const {
    const std::string& own = code_of(source_.save);
    if (own.empty() || code == own) return false;
    if (own.size() == 4 && code.size() == 4 && own.substr(0, 3) == code.substr(0, 3)) return true;
    const CatalogGame* game = session_.catalog.find_code(source_.save.system, own);
    return game != nullptr && game == session_.catalog.find_code(source_.save.system, code);
  }

  Fields fields() const {
    const Save& save = source_.save;
    Fields fields{{"label", save.name}, {"stem", save.name}};
    const auto put = [&](const char* name, const std::string& value) {
      if (!value.empty()) fields.insert_or_assign(name, value);
    };
    put("title", save.game.title);
    put("code", save.game.code);
    put("serial", save.game.serial);
    put("maker", save.game.maker);
    put("region", std::string(to_string(save.game.region)));
    return fields;
  }

  void add_choice(const Shelf& shelf, const Path& path, const FileInfo& info, bool named) {
    auto view = session_.storage->view(path, kSaveLimit);
    if (!view) return;
    Choice choice;
    choice.shelf = &shelf;
    choice.path = path;
    choice.there = *view;
    choice.modified_ns = info.modified_ns;
    choice.named_for_it = named;
    const auto planned = planned_.find(path.string());
    if (planned != planned_.end()) choice.planned = planned->second;
    for (const Guess& guess : identify(choice.bytes(), {})) {
      const CardLayout* layout = as_card(guess.layout);
      if (layout == nullptr || guess.confidence == Confidence::possible ||
          std::ranges::find(shelf.layout, layout->info().id) == shelf.layout.end())
        continue;
      choice.layout = layout;
      break;
    }
    if (choice.layout == nullptr) return;
    auto card = choice.layout->open(choice.bytes());
    if (!card) return;
    choice.card = std::move(*card);
    choice.region = common_region(choice.card);
    // An empty card is for the region that its own folder or file is called after.
    if (choice.card.saves.empty())
      choice.region = region_of_path(path.lexically_relative(bay_.place).generic_string());
    const std::string identity = choice.layout->identity(source_.save);
    choice.holds_it = std::ranges::any_of(choice.card.saves, [&](const CardSave& on_card) {
      return choice.layout->identity(on_card.save) == identity;
    });
    choices_.push_back(std::move(choice));
  }

  void find_cards() {
    for (const Shelf* shelf : shelves_) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      if (!pattern) continue;
      const auto built = pattern->build(fields());
      walk_files(*session_.storage, bay_.place, true, [&](const Path& path, const FileInfo& info) {
        const std::string relative = path.lexically_relative(bay_.place).generic_string();
        if (pattern->match(relative)) add_choice(*shelf, path, info, built && *built == relative);
      });
    }
  }

  // The card that has the save already; else the one that is named for it; else one of its region,
  // with room; else the one with most room.
  const Choice& best_choice() const {
    const auto rank = [&](const Choice& choice) {
      const bool region = choice.region == source_.save.game.region;
      const bool foreign = known(choice.region) && !region;
      return std::tuple(choice.holds_it, choice.named_for_it, !foreign,
                        region && known(choice.region), choice.card.blocks_free);
    };
    return *std::ranges::max_element(
        choices_, [&](const Choice& a, const Choice& b) { return rank(a) < rank(b); });
  }

  Result<std::optional<TargetFile>> onto_card(const Choice& choice) {
    const Save& save = source_.save;
    for (const CardSave& on_card : choice.card.saves)
      if (is_sibling(code_of(on_card.save)) && on_card.save.game.region != save.game.region &&
          known(save.game.region)) {
        checks_.add(region_differs(save, on_card.save.game.region,
                                   "the card there holds a save of the one for"));
        break;
      }
    if (!has_code(checks_.found(), "region-differs") && !choice.holds_it && known(choice.region) &&
        known(save.game.region) && choice.region != save.game.region)
      checks_.add(region_differs(save, choice.region,
                                 choice.card.saves.empty()
                                     ? "the card there is by its name for"
                                     : "all saves of the card there are for"));
    for (const Finding& finding : choice.layout->validate(choice.bytes()))
      if (finding.level == Level::error) {
        checks_.add({Level::error, "damaged",
                     fmt::format("{}: {}", safe_text(choice.path.string()), finding.text),
                     "rescue the card first: bayswap card mend CARD -o NEWCARD"});
        break;
      }
    TargetFile file;
    file.path = choice.path;
    file.layout = choice.layout;
    file.carried = save;
    file.from = {source_.shown()};
    file.before = version_digest(choice.there->bytes());
    CardChange change;
    change.put = {save};
    const std::string identity = choice.layout->identity(save);
    for (std::size_t i = 0; i < choice.card.saves.size(); ++i) {
      const Save& old = choice.card.saves[i].save;
      if (choice.layout->identity(old) != identity) continue;
      file.already_there = same_card_save(old, save);
      file.replaces_progress = !file.already_there && !old.blank();
      file.before_modified_ns = old.modified ? ns_of(*old.modified) : choice.modified_ns;
      change.drop.push_back(i);
    }
    if (file.already_there) {
      file.bytes.assign(choice.bytes().begin(), choice.bytes().end());
      return std::optional<TargetFile>(std::move(file));
    }
    if (checks_.stopped()) return std::optional<TargetFile>{};
    auto changed = choice.layout->change(choice.bytes(), change);
    if (!changed) {
      if (changed.error().trouble != Trouble::stopped) return tl::unexpected(changed.error());
      const Error& error = changed.error();
      checks_.add({Level::error, error.code,
                   fmt::format("{}: {}", safe_text(choice.path.string()), error.text), error.hint});
      return std::optional<TargetFile>{};
    }
    for (Finding& note : changed->notes) checks_.note(std::move(note));
    file.bytes = std::move(changed->bytes);
    return std::optional<TargetFile>(std::move(file));
  }

  // No card is there: a file of its own, or a new card, where the pattern can be built.
  Result<std::optional<TargetFile>> single_file() {
    std::string why = "no card lies there yet";
    for (const Shelf* shelf : shelves_) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      const Layout* layout =
          shelf->layout.empty() ? nullptr : layouts().find(shelf->layout.front());
      if (!pattern || layout == nullptr || as_folder(layout) != nullptr) continue;
      const auto built = pattern->build(fields());
      if (!built) {
        why = built.error().text;
        continue;
      }
      const auto path = shelf_path(bay_, *shelf, *built, checks_);
      if (!path) return tl::unexpected(path.error());
      return new_file(*layout, *path);
    }
    checks_.add(
        {Level::error, "no-match", fmt::format("bay {}: {}", bay_.name, why),
         "start a game there once so that a card exists; or make one with 'bayswap card new'"});
    return std::optional<TargetFile>{};
  }

  Result<std::optional<TargetFile>> new_file(const Layout& layout, const Path& path) {
    TargetFile file;
    file.path = path;
    file.layout = &layout;
    file.carried = source_.save;
    file.from = {source_.shown()};
    const auto version = version_at(*session_.storage, path);
    if (!version) return tl::unexpected(version.error());
    if (version->digest) {
      file.before = version->digest;
      file.before_modified_ns = version->modified_ns;
      file.replaces_progress = true;
      const auto view = session_.storage->view(path, kSaveLimit);
      if (!view) return tl::unexpected(view.error());
      Hints hints;
      hints.file_name = path.filename().string();
      hints.companion = read_companion(*session_.storage, path);
      if (const auto old = layout.read(view->bytes(), hints); old && !old->saves.empty())
        file.already_there = same_card_save(old->saves.front(), source_.save);
    }
    auto written = layout.write({std::span(&source_.save, 1), std::nullopt, {}});
    if (!written) {
      checks_.add({Level::error, written.error().code, written.error().text, written.error().hint});
      return std::optional<TargetFile>{};
    }
    for (Finding& loss : written->losses) (void)checks_.add(std::move(loss));
    file.bytes = std::move(written->bytes);
    file.companion = std::move(written->companion);
    return std::optional<TargetFile>(std::move(file));
  }

  Session& session_;
  RomFolders& folders_;
  const Bay& bay_;
  const Source& source_;
  const PlannedCards& planned_;
  Checks& checks_;
  std::vector<const Shelf*> shelves_;
  std::vector<Choice> choices_;
};

bool keeps_parts(const Bay& bay, const Layout& card) {
  return holds_chips(card) && std::ranges::any_of(bay.shelves, [&](const Shelf& shelf) {
           return shelf.system == card.info().system && shelf.kind == Kind::battery;
         });
}

}  // namespace

Result<std::optional<std::vector<Source>>> read_card_sources(Session& session, const Bay& to,
                                                             const std::string& text,
                                                             const std::string& is) {
  using Sources = std::vector<Source>;
  if (!is.empty()) {
    const auto layout = find_layout(is);
    if (!layout) return tl::unexpected(layout.error());
    if ((*layout)->info().kind != Kind::card_save) return std::optional<Sources>{};
  }
  const SaveAddress address = parse_address(session, text);
  if (!address.there) return std::optional<Sources>{};
  const bool named = !address.inside.empty();
  auto found = read_card_saves(session, text, is);
  if (!found) {
    // A plain file or folder that is no card save may still be another kind of save.
    if (!named && is.empty()) return std::optional<Sources>{};
    return tl::unexpected(found.error());
  }
  if (const Layout* layout = layouts().find(found->layout); !named && keeps_parts(to, *layout))
    return std::optional<Sources>{};
  Sources sources;
  for (Save& save : found->saves)
    sources.push_back(source_of(session, std::move(save), address.path, found->layout,
                                found->modified_ns, found->findings));
  return std::optional<Sources>(std::move(sources));
}

std::vector<Source> read_shelf_cards(Session& session, const Bay& bay) {
  std::vector<Source> sources;
  for (const Shelf& shelf : bay.shelves) {
    if (shelf.kind != Kind::card_save) continue;
    const auto pattern = NamingPattern::parse(shelf.pattern);
    if (!pattern) continue;
    walk_files(*session.storage, bay.place, true, [&](const Path& path, const FileInfo& info) {
      if (!pattern->match(path.lexically_relative(bay.place).generic_string())) return;
      const auto view = session.storage->view(path, kSaveLimit);
      if (!view) {
        sources.push_back(unreadable_source(bay, path, view.error()));
        return;
      }
      Hints hints;
      hints.file_name = path.filename().string();
      for (const std::string& id : shelf.layout) {
        const Layout* layout = layouts().find(id);
        if (layout == nullptr || !layout->recognise(view->bytes(), hints)) continue;
        if (const CardLayout* card = as_card(layout)) {
          add_card(session, path, *card, view->bytes(), info.modified_ns, sources);
        } else if (auto content = layout->read(view->bytes(), hints);
                   content && !content->saves.empty()) {
          sources.push_back(source_of(session, std::move(content->saves.front()), path, id,
                                      info.modified_ns, content->findings));
        }
        return;
      }
    });
  }
  return sources;
}

Result<std::optional<TargetFile>> make_card_target(Session& session, RomFolders& folders,
                                                   const Bay& bay, const Source& source,
                                                   const PlannedCards& planned, Checks& checks) {
  return CardTarget(session, folders, bay, source, planned, checks).make();
}

}  // namespace bayswap
