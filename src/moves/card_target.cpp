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
#include "moves/shelf_path.h"
#include "places/second_file.h"

namespace bayswap {
namespace {

const std::string& code_of(const Save& save) {
  return save.game.serial.empty() ? save.game.code : save.game.serial;
}

bool known(Region region) {
  return region != Region::unknown && region != Region::any;
}

Finding region_differs(const Save& save, Region there, const std::string& why) {
  return {Level::error,
          Code::region_differs,
          fmt::format("the save belongs to the game for {}, but {} {}", to_string(save.game.region),
                      why, to_string(there)),
          {"a game does not see saves of another region: label it with '", Remedy::relabel,
           "' and carry that, or let it through with ", accept_remedy(Code::region_differs)}};
}

// One card of the bay that the save could go to.
struct Choice {
  const ScannedCard* card = nullptr;
  Path path;
  std::int64_t modified_ns = 0;
  bool holds_it = false;
  bool named_for_it = false;
  Region region = Region::unknown;  // of its saves, when they agree
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
  CardPlacer(const CarryContext& context, const Source& source, const MoveReport& line,
             Checks& checks)
      : context_(context), bay_(context.bay()), source_(source), line_(line), checks_(checks) {}

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
    const CatalogGame* game = context_.session.catalog.find_code(source_.save.system, own);
    return game != nullptr && game == context_.session.catalog.find_code(source_.save.system, code);
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

  void add_choice(const ScannedCard& card, const BayScan::OnShelf& file, bool named) {
    Choice choice;
    choice.card = &card;
    choice.path = file.path;
    choice.modified_ns = file.info.modified_ns;
    choice.named_for_it = named;
    // An empty card is for the region that its own folder or file is called after.
    choice.region = card.card.saves.empty()
                        ? region_of_path(file.path.lexically_relative(bay_.place).generic_string())
                        : common_region(card.card);
    const std::string identity = card.layout->identity(source_.save);
    choice.holds_it = std::ranges::any_of(card.card.saves, [&](const CardSave& on_card) {
      return card.layout->identity(on_card.save) == identity;
    });
    choices_.push_back(std::move(choice));
  }

  void find_cards() {
    for (const Shelf* shelf : shelves_) {
      const auto pattern = NamingPattern::parse(shelf->pattern);
      if (!pattern) continue;
      const auto built = pattern->build(fields());
      for (const BayScan::OnShelf& file : context_.there.files_on(*shelf))
        if (const ScannedCard* card = context_.there.card_in(*shelf, file.path))
          add_choice(*card, file,
                     built && *built == file.path.lexically_relative(bay_.place).generic_string());
    }
  }

  // The card that has the save already; else the one that is named for it; else one of its region,
  // with room; else the one with most room.
  const Choice& best_choice() const {
    const auto rank = [&](const Choice& choice) {
      const bool region = choice.region == source_.save.game.region;
      const bool foreign = known(choice.region) && !region;
      return std::tuple(choice.holds_it, choice.named_for_it, !foreign,
                        region && known(choice.region), choice.card->card.blocks_free);
    };
    return *std::ranges::max_element(
        choices_, [&](const Choice& a, const Choice& b) { return rank(a) < rank(b); });
  }

  void check_regions(const Choice& choice) {
    const Save& save = source_.save;
    const auto& saves = choice.card->card.saves;
    for (const CardSave& on_card : saves)
      if (is_sibling(code_of(on_card.save)) && on_card.save.game.region != save.game.region &&
          known(save.game.region)) {
        checks_.add(region_differs(save, on_card.save.game.region,
                                   "the card there holds a save of the one for"));
        break;
      }
    if (!has_code(checks_.found(), Code::region_differs) && !choice.holds_it &&
        known(choice.region) && known(save.game.region) && choice.region != save.game.region)
      checks_.add(region_differs(save, choice.region,
                                 saves.empty() ? "the card there is by its name for"
                                               : "all saves of the card there are for"));
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
             FileNames::exact},
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
    if (!known(place.region) || !known(own)) return 1;
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
        why =
            fmt::format("{} holds saves of {} alone", safe_text(shelf->pattern), safe_text(other));
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
  const Bay& bay_;
  const Source& source_;
  const MoveReport& line_;
  Checks& checks_;
  std::vector<const Shelf*> shelves_;
  std::vector<Choice> choices_;
};

class CardTarget final : public Target {
 public:
  explicit CardTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override { return source.save.kind == Kind::card_save; }
  Result<std::optional<Placement>> place(const Source& source, MoveReport& line,
                                         Checks& checks) override {
    return CardPlacer(context_, source, line, checks).place();
  }

 private:
  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_card_target(const CarryContext& context) {
  return std::make_unique<CardTarget>(context);
}

}  // namespace bayswap
