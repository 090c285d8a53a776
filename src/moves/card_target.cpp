#include "moves/card_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <tuple>

#include "bayswap/card_file.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "moves/card_source.h"
#include "moves/regions.h"
#include "moves/shelf_path.h"
#include "places/game_cards.h"
#include "places/second_file.h"

namespace bayswap {
namespace {

const std::string& code_of(const Save& save) {
  return code_of(save.game);
}

// One card of the bay that the save could go to.
struct Choice {
  const ScannedCard* card = nullptr;
  Path path;
  std::int64_t modified_ns = 0;
  bool holds_it = false;
  bool named_for_it = false;
  bool of_game = false;             // its shelf has a card for each game, and this is the save's
  Region region = Region::unknown;  // of its saves, when they agree
};

// Reads back what was written, and looks for the save that was carried.
Result<void> comes_back(Storage& storage, const Path& path, const Layout& layout,
                        const Save& carried) {
  const auto view = storage.view(path, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  Hints hints;
  hints.system = carried.system;
  hints.second_file = read_second_file(storage, path);
  const CardLayout* card = as_card(&layout);
  const auto content = card != nullptr ? card->CardLayout::read(view->bytes(), hints)
                                       : layout.read(view->bytes(), hints);
  const bool there =
      content && std::ranges::any_of(content->saves, [&](const Save& save) {
        return same_card_save(save, carried) || (card == nullptr && save.parts == carried.parts);
      });
  return there ? Result<void>{} : reads_back_as_another(path);
}

// One save, on its way to one bay.
class CardPlacer {
 public:
  CardPlacer(const CarryContext& context, CardVersions& versions, const Source& source,
             const MoveReport& line, Checks& checks)
      : context_(context),
        versions_(versions),
        bay_(context.bay()),
        source_(source),
        line_(line),
        checks_(checks) {}

  Result<std::optional<Placement>> place() {
    for (const Shelf& shelf : bay_.shelves)
      if (shelf.system == source_.save.system && shelf.kind == Kind::card_save)
        shelves_.push_back(&shelf);
    if (shelves_.empty()) {
      checks_.add({Level::error, Code::no_match,
                   fmt::format("bay {} has no shelf for saves of {} cards", bay_.name,
                               to_string(source_.save.system)),
                   in_containers() ? Hint{"put it onto a card inside the game's own file: ",
                                          HintPiece{Remedy::put_on_card, "FILE:PART SAVE"}}
                                   : Hint{"start a game there once so that a card exists, then: ",
                                          HintPiece{Remedy::learn_bay, bay_.name}}});
      return std::optional<Placement>{};
    }
    check_roms();
    find_cards();
    if (choices_.empty() && !game_cards_.empty()) return new_card_of_game();
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
      for (const RomFile* known : context_.there.roms_of(shelf).roms()) {
        const RomFile& rom = *known;
        const std::string& code =
            rom.info.game.serial.empty() ? rom.info.game.code : rom.info.game.serial;
        if (rom.info.system != source_.save.system || code.empty()) continue;
        same = same || code == code_of(source_.save);
        if (are_siblings(source_.save.system, code_of(source_.save), code,
                         context_.session.catalog) &&
            rom.info.game.region != source_.save.game.region)
          other = rom.info.game.region;
      }
    }
    if (!same && is_known(other) && is_known(source_.save.game.region))
      checks_.add(region_differs(source_.save, other, "the game there is the one for"));
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

  void add_choice(const ScannedCard& card, const BayScan::OnShelf& file, bool named,
                  bool of_game = false) {
    Choice choice;
    choice.card = &card;
    choice.path = file.path;
    choice.modified_ns = file.info.modified_ns;
    choice.named_for_it = named;
    // An empty card is for the region that its own folder or file is called after.
    choice.region = card.card.saves.empty()
                        ? region_of_path(file.path.lexically_relative(bay_.place).generic_string())
                        : common_region(card.card);
    choice.holds_it = holds(card);
    choice.of_game = of_game;
    choices_.push_back(std::move(choice));
  }

  void find_cards() {
    for (const Shelf* shelf : shelves_) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      if (!pattern) continue;
      const auto built = pattern->build(fields());
      for (const BayScan::OnShelf& file : context_.there.files_on(*shelf)) {
        const ScannedCard* card = context_.there.card_in(*shelf, file.path);
        if (card == nullptr) continue;
        if (names_games(*shelf)) {
          game_cards_.push_back({shelf, &file, card});
          if (is_its_own(*card, file)) add_choice(*card, file, true, true);
          continue;
        }
        add_choice(*card, file,
                   built && *built == file.path.lexically_relative(bay_.place).generic_string());
      }
    }
    // Where each game has a card of its own, others are no place for the save unless it is there.
    if (!game_cards_.empty())
      std::erase_if(choices_,
                    [](const Choice& choice) { return !choice.of_game && !choice.holds_it; });
  }

  // The name of the file that the save comes from.
  [[nodiscard]] std::string source_stem() const {
    return source_.files.empty() ? std::string() : source_.files.front().stem().string();
  }

  [[nodiscard]] bool holds(const ScannedCard& card) const {
    const std::string identity = card.layout->identity(source_.save);
    return std::ranges::any_of(card.card.saves, [&](const CardSave& on_card) {
      return card.layout->identity(on_card.save) == identity;
    });
  }

  static bool is_known_by_code(const ScannedCard& card) {
    return std::ranges::any_of(
        card.card.saves, [](const CardSave& on_card) { return !code_of(on_card.save).empty(); });
  }

  // Whether a card of one game is this save's: by the saves on it, or by its name while it is
  // empty.
  bool is_its_own(const ScannedCard& card, const BayScan::OnShelf& file) {
    const auto slot = file.fields.find("slot");
    const std::string& wanted = or_empty(context_.request.slot);
    if (!wanted.empty() && slot != file.fields.end() && slot->second != wanted) return false;
    const auto& saves = card.card.saves;
    if (code_of(source_.save).empty() && !is_known_by_code(card))
      return holds(card) || same_game_name(read_card_name(file.path.stem().string()).game,
                                           read_card_name(source_stem()).game);
    if (!saves.empty())
      return std::ranges::any_of(saves, [&](const CardSave& on_card) {
        return !code_of(on_card.save).empty() && code_of(on_card.save) == code_of(source_.save);
      });
    return is_name_of_game(read_card_name(file.path.stem().string()).game, source_.save.system,
                           shown_game(source_.save), context_.session.catalog);
  }

  // The card that has the save already; else the one that is named for it; else one of its region,
  // with room; else the one with most room.
  const Choice& best_choice() const {
    const auto rank = [&](const Choice& choice) {
      const bool region = choice.region == source_.save.game.region;
      const bool foreign = is_known(choice.region) && !region;
      return std::tuple(choice.holds_it, choice.named_for_it, !foreign,
                        region && is_known(choice.region), choice.card->card.blocks_free);
    };
    return *std::ranges::max_element(
        choices_, [&](const Choice& a, const Choice& b) { return rank(a) < rank(b); });
  }

  void check_regions(const Choice& choice) {
    if (auto differs = region_differs_on_card(source_.save, choice.card->card, choice.region,
                                              choice.holds_it, context_.session.catalog))
      checks_.add(std::move(*differs));
  }

  void check_sound(const Choice& choice) {
    for (const Finding& finding : choice.card->layout->validate(*choice.card->bytes))
      if (finding.level == Level::error) {
        checks_.add({Level::error,
                     Code::damaged,
                     fmt::format("{}: {}", safe_text(choice.path.string()), finding.text),
                     {"rescue the card first: ", Remedy::mend_card}});
        return;
      }
  }

  Result<std::optional<Placement>> onto_card(const Choice& choice) {
    check_regions(choice);
    check_sound(choice);
    const CardLayout& layout = *choice.card->layout;
    const Bytes& card = *choice.card->bytes;
    PlacedUnit unit = unit_at(choice.path, layout, card.size());
    unit.shared = true;
    unit.line.replaces = true;
    const Digest before = version_digest(card);
    CardChange change;
    change.put = {source_.save};
    if (const auto old = place_on(choice)) {
      const Save& there = choice.card->card.saves[*old].save;
      unit.line.nothing_to_do = same_card_save(there, source_.save);
      // What history knows of a card is about all of its saves.
      if (!unit.line.nothing_to_do && !there.blank())
        unit.newer = newer_there(
            {choice.path, before, there.modified ? ns_of(*there.modified) : choice.modified_ns,
             FileNames::exact, bytes_of(there), since_equal(choice, there)},
            std::nullopt, source_, nullptr);
      change.drop.push_back(*old);
    }
    if (unit.line.nothing_to_do) return one(std::move(unit));
    if (checks_.stopped()) return std::optional<Placement>{};
    auto changed = layout.change(card, change);
    if (!changed) {
      if (changed.error().trouble != Trouble::stopped) return tl::unexpected(changed.error());
      const Error& error = changed.error();
      checks_.add({Level::error, error.code,
                   fmt::format("{}: {}", safe_text(choice.path.string()), error.text), error.hint});
      return std::optional<Placement>{};
    }
    for (Finding& note : changed->notes) checks_.note(std::move(note));
    unit.changes.push_back(change_to(choice.path, std::move(changed->bytes), before));
    return one(std::move(unit));
  }

  [[nodiscard]] SinceEqual since_equal(const Choice& choice, const Save& there) const {
    if (context_.history == nullptr) return {};
    return card_since_equal(*context_.history, versions_, *choice.card->layout, choice.path, there,
                            source_);
  }

  // Where the save stands on the card already.
  [[nodiscard]] std::optional<std::size_t> place_on(const Choice& choice) const {
    const std::string identity = choice.card->layout->identity(source_.save);
    const auto& saves = choice.card->card.saves;
    for (std::size_t i = 0; i < saves.size(); ++i)
      if (choice.card->layout->identity(saves[i].save) == identity) return i;
    return std::nullopt;
  }

  [[nodiscard]] PlacedUnit unit_at(const Path& path, const Layout& layout,
                                   std::uint64_t size) const {
    PlacedUnit unit;
    unit.line = line_;
    unit.line.from = {source_.shown()};
    unit.line.to = path.string();
    unit.line.to_layout = layout.info().id;
    unit.line.size = unit.room = size;
    for (const Part& part : source_.save.parts) unit.line.parts.push_back(part.name);
    unit.verify = [path, &layout, save = source_.save](Storage& storage) {
      return comes_back(storage, path, layout, save);
    };
    return unit;
  }

  static std::optional<Placement> one(PlacedUnit unit) {
    Placement placement;
    placement.units.push_back(std::move(unit));
    return std::optional<Placement>(std::move(placement));
  }

  // Where a save could lie as a file of its own, or on a new card.
  struct FilePlace {
    const Layout* layout = nullptr;
    Path path;
    bool there = false;  // a file has that name already
    Region region = Region::unknown;
  };

  // How well a place goes with the save's region: a folder of the same one, of none, of another.
  [[nodiscard]] int region_fits(const FilePlace& place) const {
    const Region own = source_.save.game.region;
    if (!is_known(place.region) || !is_known(own)) return 1;
    return place.region == own ? 2 : 0;
  }

  // The game whose code stands in a shelf's fixed text; empty when it is the save's own, or none.
  [[nodiscard]] std::string fixed_game(const Shelf& shelf) {
    constexpr std::size_t kLooked = 3;
    const auto& files = context_.there.files_on(shelf);
    for (std::size_t i = 0; i < std::min(kLooked, files.size()); ++i) {
      const auto view =
          context_.session.storage->view(files[i].path, context_.session.limits.largest_file);
      if (!view) continue;
      for (const Guess& guess : identify(view->bytes(), {})) {
        if (guess.basis != Basis::structure || as_card(guess.layout) != nullptr) continue;
        const auto content = guess.layout->read(view->bytes(), {});
        if (!content || content->saves.empty()) continue;
        const std::string& code = code_of(content->saves.front());
        if (!code.empty() && code != code_of(source_.save) &&
            shelf.pattern.find(code) != std::string::npos)
          return code;
        break;
      }
    }
    return {};
  }

  // A card in a shelf that has one for each game.
  struct GameCard {
    const Shelf* shelf = nullptr;
    const BayScan::OnShelf* file = nullptr;
    const ScannedCard* card = nullptr;
  };

  // The game has no card there yet: a new one, called and made like the others.
  Result<std::optional<Placement>> new_card_of_game() {
    const auto of_region = std::ranges::find_if(game_cards_, [&](const GameCard& one) {
      return common_region(one.card->card) == source_.save.game.region;
    });
    const GameCard* like = of_region == game_cards_.end() ? &game_cards_.front() : &*of_region;
    const auto pattern = NamingPattern::parse(like->shelf->pattern);
    Fields names = like->file->fields;
    const auto stem = name_like(*like);
    if (!stem) {
      checks_.add({Level::error, Code::no_match,
                   fmt::format("bay {} has a card for each game and none for this one, and nothing "
                               "tells what to call a new one",
                               bay_.name),
                   "start the game there once, so that its card exists; or put its title and code "
                   "into the catalog"});
      return std::optional<Placement>{};
    }
    for (const char* field : {"serial", "code", "stem"})
      if (names.contains(field)) names[field] = *stem;
    if (auto slot = first_slot(*like->shelf)) names["slot"] = *slot;
    if (const std::string& wanted = or_empty(context_.request.slot);
        !wanted.empty() && names.contains("slot"))
      names["slot"] = wanted;
    const auto built = pattern->build(names);
    if (!built) return tl::unexpected(built.error());
    const auto path = shelf_path(bay_, *like->shelf, *built, checks_);
    if (!path) return tl::unexpected(path.error());
    if (!is_missing(*context_.session.storage, *path)) {
      checks_.add({Level::error, Code::name_taken,
                   fmt::format("{}: would be the game's card, and holds another game's saves",
                               safe_text(path->string())),
                   "look at that card; a card's name has to be that of its game"});
      return std::optional<Placement>{};
    }
    const CardLayout& layout = *like->card->layout;
    const auto formatted = layout.format(like->card->card.blocks_total);
    if (!formatted) return tl::unexpected(formatted.error());
    CardChange change;
    change.put = {source_.save};
    auto card = layout.change(*formatted, change);
    if (!card) {
      checks_.add({Level::error, card.error().code, card.error().text, card.error().hint});
      return std::optional<Placement>{};
    }
    checks_.note({Level::note, Code::new_card,
                  "the game has no card there yet: a new one is made like the others", ""});
    PlacedUnit unit = unit_at(*path, layout, card->bytes.size());
    unit.shared = true;
    unit.changes.push_back(change_to(*path, std::move(card->bytes), std::nullopt));
    return one(std::move(unit));
  }

  // The lowest number of the cards there.
  [[nodiscard]] std::optional<std::string> first_slot(const Shelf& shelf) const {
    std::optional<std::string> first;
    for (const GameCard& one : game_cards_)
      if (const auto slot = one.file->fields.find("slot");
          one.shelf == &shelf && slot != one.file->fields.end())
        if (!first ||
            std::pair(slot->second.size(), slot->second) < std::pair(first->size(), *first))
          first = slot->second;
    return first;
  }

  // What a card of the save's game is called, spelled like the others: by its serial or code, or by
  // its title with the tags that others of its region have.
  [[nodiscard]] std::optional<std::string> name_like(const GameCard& like) const {
    const Fields& fields = like.file->fields;
    const std::string& code = code_of(source_.save);
    if (fields.contains("code"))
      return source_.save.game.code.empty() ? std::nullopt : std::optional(source_.save.game.code);
    if (const auto serial = fields.find("serial"); serial != fields.end()) {
      if (code.empty()) return std::nullopt;
      const bool dash = serial->second.find('-') != std::string::npos;
      return dash ? code : replaced(code, "-", "");
    }
    // A disc or cartridge of the game says how programs call it.
    for (const RomFile* rom : context_.there.roms_for(source_.save.system))
      if (!code.empty() && (rom->info.game.serial == code || rom->info.game.code == code))
        return rom->stem;
    const CatalogGame* known = context_.session.catalog.find_code(source_.save.system, code);
    const std::string title = known != nullptr ? known->title : source_.save.game.title;
    const std::string& name = fields.at("stem");
    if (title.empty() || code.empty()) return source_name_like(name);
    const std::string tags = name.substr(untagged_name(name).size());
    // Another region's tags would be wrong.
    const Region tagged = region_of_name(name);
    if (is_known(tagged) && tagged != source_.save.game.region) return std::nullopt;
    return title + tags;
  }

  // The source's own name, where it is a game's: with its tags where names there have some.
  [[nodiscard]] std::optional<std::string> source_name_like(const std::string& there) const {
    const std::string own = read_card_name(source_stem()).game;
    const std::string title = untagged_name(own);
    const bool tagged = untagged_name(there).size() < there.size();
    const bool says_game = title.size() < own.size() || is_named_for_save(title);
    if (title.empty() || !says_game) return std::nullopt;
    return tagged ? own : title;
  }

  // A file's name that goes on as the save's own begins, or the other way round.
  [[nodiscard]] bool is_named_for_save(const std::string& title) const {
    constexpr std::size_t kLeast = 3;
    const std::string name = plain_title(source_.save.name);
    const std::string file = plain_title(title);
    const std::size_t both = std::min(name.size(), file.size());
    return both >= kLeast && name.substr(0, both) == file.substr(0, both);
  }

  // No card is there: a file of its own, or a new card, where the pattern can be built. Of several
  // places the one that has the file, else the one of the save's region.
  Result<std::optional<Placement>> single_file() {
    std::string why = "no card lies there yet";
    std::optional<FilePlace> best;
    const auto rank = [&](const FilePlace& place) {
      return std::pair(region_fits(place), place.there);
    };
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
      if (const std::string other = fixed_game(*shelf); !other.empty()) {
        why = fmt::format("{} holds only saves of {}", safe_text(shelf->pattern), safe_text(other));
        continue;
      }
      const auto path = shelf_path(bay_, *shelf, *built, checks_);
      if (!path) return tl::unexpected(path.error());
      FilePlace place{layout, *path, !is_missing(*context_.session.storage, *path),
                      region_of_path(built->substr(0, built->rfind('/') + 1))};
      if (!best || rank(place) > rank(*best)) best = std::move(place);
    }
    if (best && region_fits(*best) == 0)
      checks_.add(region_differs(source_.save, best->region, "the folder there is the one for"));
    if (best && !checks_.stopped()) return new_file(*best->layout, best->path);
    if (best) return std::optional<Placement>{};
    checks_.add({Level::error,
                 Code::no_match,
                 fmt::format("bay {}: {}", bay_.name, why),
                 {"start a game there once so that a card exists; or make one with '",
                  Remedy::new_card, "'"}});
    return std::optional<Placement>{};
  }

  Result<std::optional<Placement>> new_file(const Layout& layout, const Path& path) {
    Storage& storage = *context_.session.storage;
    auto written = layout.write({std::span(&source_.save, 1), std::nullopt, {}});
    if (!written) {
      checks_.add({Level::error, written.error().code, written.error().text, written.error().hint});
      return std::optional<Placement>{};
    }
    for (Finding& loss : written->losses) (void)checks_.add(std::move(loss));
    PlacedUnit unit = unit_at(path, layout, written->bytes.size());
    unit.shared = as_card(&layout) != nullptr;
    const auto version = version_at(storage, path);
    if (!version) return tl::unexpected(version.error());
    unit.line.replaces = version->digest.has_value();
    if (version->digest) {
      const auto same = holds_the_same(layout, path);
      if (!same) return tl::unexpected(same.error());
      unit.line.nothing_to_do = *same;
      if (*same) return one(std::move(unit));
      unit.newer = newer_there({path, *version->digest, version->modified_ns, FileNames::exact},
                               version_digest(written->bytes), source_,
                               unit.shared ? nullptr : context_.history);
    }
    unit.changes.push_back(change_to(path, std::move(written->bytes), version->digest));
    if (!written->second_file.empty()) {
      auto beside = change_beside(storage, path, layout, std::move(written->second_file));
      if (!beside) return tl::unexpected(beside.error());
      unit.changes.push_back(std::move(*beside));
    }
    return one(std::move(unit));
  }

  [[nodiscard]] Result<bool> holds_the_same(const Layout& layout, const Path& path) const {
    const auto view = context_.session.storage->view(path, context_.session.limits.largest_file);
    if (!view) return tl::unexpected(view.error());
    Hints hints;
    hints.file_name = path.filename().string();
    hints.second_file = read_second_file(*context_.session.storage, path);
    const auto old = layout.read(view->bytes(), hints);
    return old && !old->saves.empty() && same_card_save(old->saves.front(), source_.save);
  }

  const CarryContext& context_;
  CardVersions& versions_;
  const Bay& bay_;
  const Source& source_;
  const MoveReport& line_;
  Checks& checks_;
  std::vector<const Shelf*> shelves_;
  std::vector<Choice> choices_;
  std::vector<GameCard> game_cards_;
};

class CardTarget final : public Target {
 public:
  explicit CardTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override { return source.save.kind == Kind::card_save; }
  Result<std::optional<Placement>> place(const Source& source, MoveReport& line,
                                         Checks& checks) override {
    return CardPlacer(context_, versions_, source, line, checks).place();
  }

 private:
  const CarryContext& context_;
  CardVersions versions_;
};

}  // namespace

std::unique_ptr<Target> make_card_target(const CarryContext& context) {
  return std::make_unique<CardTarget>(context);
}

}  // namespace bayswap
