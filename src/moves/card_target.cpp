#include "moves/card_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <tuple>

#include "bayswap/card_file.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "moves/card_name.h"
#include "moves/card_source.h"
#include "moves/card_unit.h"
#include "moves/regions.h"
#include "moves/shelf_path.h"
#include "moves/single_card_save.h"
#include "places/game_cards.h"

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
                                          Remedy::put_on_inner_card}
                                   : Hint{"start a game there once so that a card exists, then: ",
                                          HintPiece{Remedy::learn_bay, bay_.name}}});
      return std::optional<Placement>{};
    }
    check_roms();
    find_cards();
    if (choices_.empty() && !game_cards_.empty()) return new_card_of_game();
    if (choices_.empty())
      return place_single_card_save(context_, source_, shelves_, line_, checks_);
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
      const auto built = pattern->build(card_save_fields(source_.save));
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
                                           read_card_name(source_stem(source_)).game);
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
    PlacedUnit unit = card_unit(line_, source_, choice.path, layout, card.size());
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
    if (unit.line.nothing_to_do) return one_unit(std::move(unit));
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
    return one_unit(std::move(unit));
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
    const auto stem = new_card_name(context_, source_, like->file->fields);
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
    PlacedUnit unit = card_unit(line_, source_, *path, layout, card->bytes.size());
    unit.shared = true;
    unit.changes.push_back(change_to(*path, std::move(card->bytes), std::nullopt));
    return one_unit(std::move(unit));
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
