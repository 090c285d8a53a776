#include "moves/state_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <set>

#include "bayswap/naming.h"
#include "bayswap/state.h"
#include "core/bytes/text.h"
#include "core/packing/packing.h"
#include "moves/game_there.h"
#include "moves/shelf_path.h"
#include "places/name_fields.h"

namespace bayswap {
namespace {

constexpr unsigned kMostSlots = 1000;
constexpr std::size_t kMostCompared = 16;  // states of other games on the shelf

std::optional<unsigned> slot_number(const std::string& text) {
  unsigned number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  if (problem != std::errc{} || end != text.data() + text.size() || number >= kMostSlots)
    return std::nullopt;
  return number;
}

// What lies on a shelf already.
// A state moves as a file; one that is in memory is its only part.
Result<Bytes> state_bytes(const Session& session, const Source& source) {
  if (source.files.empty()) return source.save.parts.front().data;
  return session.storage->read(source.files.front(), session.limits.largest_file);
}

struct ShelfStates {
  struct State {
    StateMaker maker;
    bool of_this_game = false;
  };
  std::vector<State> states;
  std::set<unsigned> slots;   // of all games
  std::size_t by_rom = 0;     // files that are named as their ROM is
  std::size_t by_others = 0;  // as something that only goes by the same title
};

class StateShelf {
 public:
  StateShelf(const CarryContext& context, const Shelf& shelf, NamingPattern pattern)
      : context_(context), shelf_(shelf), pattern_(std::move(pattern)) {}

  [[nodiscard]] const Shelf& shelf() const { return shelf_; }
  [[nodiscard]] const NamingPattern& pattern() const { return pattern_; }
  [[nodiscard]] bool numbered() const { return pattern_.uses("slot"); }
  [[nodiscard]] bool empty() const { return there_.states.empty(); }

  void read(const Source& source, const GameThere& game) {
    fields_ = fields_there(context_, shelf_, pattern_, source, game);
    std::size_t others = 0;
    std::string own_stem;
    for (const BayScan::OnShelf& state : context_.there.files_on(shelf_)) {
      Fields fields = state.fields;
      if (const auto slot = fields.find("slot"); slot != fields.end()) {
        if (const auto number = slot_number(slot->second)) there_.slots.insert(*number);
        fields.erase(slot);
      }
      const bool this_game = is_of(fields, game);
      if (const auto stem = fields.find("stem"); stem != fields.end() && this_game)
        own_stem = stem->second;
      if (!this_game && ++others > kMostCompared) continue;
      if (const StateMaker* maker = context_.there.state_maker_of(state.path))
        there_.states.push_back({*maker, this_game});
    }
    if (!own_stem.empty()) fields_.insert_or_assign("stem", own_stem);
    names_known_ = !own_stem.empty() || there_.by_others <= there_.by_rom;
  }

  /// False where files here bear more than their ROMs' names, and none of this game shows what.
  [[nodiscard]] bool names_known() const { return names_known_; }

  // States of the game itself say more than those of others.
  [[nodiscard]] bool is_same_program(const StateMaker& maker) const {
    const bool any_of_game = std::ranges::any_of(there_.states, &ShelfStates::State::of_this_game);
    return std::ranges::any_of(there_.states, [&](const ShelfStates::State& there) {
      return there.of_this_game == any_of_game && same_program(maker, there.maker, any_of_game);
    });
  }
  [[nodiscard]] std::string maker_there() const { return maker_text(there_.states.front().maker); }

  // The lowest number that this program uses and no file has.
  [[nodiscard]] std::string free_slot() const {
    unsigned slot = there_.slots.empty() || there_.slots.contains(0) ? 0 : 1;
    for (; slot < kMostSlots; ++slot) {
      const auto path = build(std::to_string(slot));
      if (path && is_missing(*context_.session.storage, context_.bay().place / *path)) break;
    }
    return std::to_string(slot);
  }

  /// Whether this slot holds the very state.
  [[nodiscard]] bool holds(const Source& source, const std::string& slot) const {
    const auto path = build(slot);
    if (!path) return false;
    const auto there = context_.session.storage->read(context_.bay().place / *path,
                                                      context_.session.limits.largest_file);
    const auto here = state_bytes(context_.session, source);
    return there && here && *there == *here;
  }
  /// Whether a file lies where this slot's would.
  [[nodiscard]] bool has(const std::string& slot) const {
    const auto path = build(slot);
    return path && !is_missing(*context_.session.storage, context_.bay().place / *path);
  }

  [[nodiscard]] Result<std::string> build(const std::string& slot) const {
    Fields fields = fields_;
    fields.insert_or_assign("slot", slot);
    return pattern_.build(fields);
  }

 private:
  // By the ROM that the name means; else all that the pattern says is as it would be written now.
  bool is_of(const Fields& fields, const GameThere& game) {
    const auto roms = roms_of_fields(*context_.session.storage, context_.there.roms_of(shelf_),
                                     shelf_.system, fields, context_.session.catalog);
    if (const auto stem = fields.find("stem"); stem != fields.end() && !roms.empty())
      ++(roms.front()->stem == stem->second ? there_.by_rom : there_.by_others);
    if (game.rom && !roms.empty())
      return std::ranges::any_of(roms,
                                 [&](const RomFile* rom) { return rom->path == game.rom->path; });
    return std::ranges::all_of(fields, [&](const auto& field) {
      const auto own = fields_.find(field.first);
      return own == fields_.end() || own->second == field.second;
    });
  }

  const CarryContext& context_;
  const Shelf& shelf_;
  NamingPattern pattern_;
  Fields fields_;
  ShelfStates there_;
  bool names_known_ = true;
};

int rank(const StateShelf& shelf, const StateMaker& maker) {
  if (shelf.empty()) return 1;
  return shelf.is_same_program(maker) ? 2 : 0;
}

// A state without a number, such as one that a program makes by itself, is not a numbered slot's.
std::string slot_for_automatic(const StateShelf& shelf, const Source& source, Checks& checks) {
  if (!shelf.numbered() || !shelf.has("0") || shelf.holds(source, "0")) return "0";
  std::string slot = shelf.free_slot();
  checks.note({Level::note, Code::assumed,
               fmt::format("the state has no slot, and slot 0 there is taken: it goes to the free "
                           "slot {}",
                           slot),
               ""});
  return slot;
}

std::optional<std::string> wanted_slot(const StateShelf& shelf, const Source& source,
                                       const CarryRequest& request, Checks& checks) {
  if (or_empty(request.slot) == "free") return shelf.free_slot();
  const std::string& text = or_empty(request.slot).empty() ? source.slot : or_empty(request.slot);
  if (text.empty()) return slot_for_automatic(shelf, source, checks);
  if (const auto number = slot_number(text)) return std::to_string(*number);
  (void)checks.add({Level::error,
                    Code::no_match,
                    fmt::format("'{}' is not a slot", safe_text(text)),
                    {"write ", Remedy::slot, " with a number, or ", Remedy::free_slot}});
  return std::nullopt;
}

std::string other_program_text(const std::string& there, const std::string& own) {
  if (there == own)
    return fmt::format(
        "the states there are another program's: they look alike ({}), but keep "
        "other things, or the same ones in other places",
        own);
  return fmt::format("the states there are another program's: they are {}; this one is {}", there,
                     own);
}

class StateTarget final : public Target {
 public:
  explicit StateTarget(const CarryContext& context) : context_(context) {}

  bool takes(const Source& source) const override {
    return source.state && keeps_states(context_.bay(), source.save.system);
  }
  bool moves_unread() const override { return true; }

  Result<std::optional<Placement>> place(const Source& source, MoveReport& line,
                                         Checks& checks) override {
    const auto game = find_game_there(context_, source, checks);
    if (!game) return std::optional<Placement>{};
    if (game->rom) line.game = game_of(*game->rom, context_.session.catalog);
    auto bytes = state_bytes(context_.session, source);
    if (!bytes) return tl::unexpected(bytes.error());
    const auto maker = check_whole(source, *bytes, checks);
    if (!maker) return std::optional<Placement>{};
    const bool automatic = source.slot.empty() && or_empty(context_.request.slot).empty();
    const auto shelf = best_shelf(source, *game, *maker, automatic);
    if (!shelf) return std::optional<Placement>{};
    check_program(*shelf, *maker, checks);
    if (checks.stopped()) return std::optional<Placement>{};
    const auto slot = wanted_slot(*shelf, source, context_.request, checks);
    if (!slot) return std::optional<Placement>{};
    return place_on(*shelf, *slot, source, std::move(*bytes), line, checks);
  }

 private:
  // A state moves as it is; the checks of the compression around it say whether it is whole.
  static std::optional<StateMaker> check_whole(const Source& source, const Bytes& bytes,
                                               Checks& checks) {
    auto state = read_state(bytes, source.shown());
    if (!state) {
      (void)checks.add({Level::error, Code::damaged, state.error().text, state.error().hint});
      return std::nullopt;
    }
    if (const Packing packing = packing_of(bytes); packing != Packing::plain)
      if (const auto whole = unpack(bytes, packing, kMostUnpacked, AtLimit::cut, source.shown());
          !whole)
        (void)checks.add({Level::error, Code::damaged, whole.error().text, whole.error().hint});
    if (checks.stopped()) return std::nullopt;
    return std::move(state->maker);
  }

  // A state without a slot goes where such ones lie, and a numbered one among numbered ones.
  std::optional<StateShelf> best_shelf(const Source& source, const GameThere& game,
                                       const StateMaker& maker, bool automatic) {
    std::optional<StateShelf> best;
    const auto better = [&](const StateShelf& one, const StateShelf& other) {
      const auto order = [&](const StateShelf& shelf) {
        return std::pair(rank(shelf, maker), shelf.numbered() != automatic);
      };
      return order(one) > order(other);
    };
    for (const Shelf& shelf : context_.bay().shelves) {
      auto pattern = NamingPattern::parse(shelf.pattern);
      if (shelf.kind != Kind::state || shelf.system != source.save.system || !pattern) continue;
      StateShelf one(context_, shelf, std::move(*pattern));
      one.read(source, game);
      if (!best || better(one, *best)) best.emplace(std::move(one));
    }
    return best;
  }

  static void check_program(const StateShelf& shelf, const StateMaker& maker, Checks& checks) {
    if (shelf.empty())
      checks.note(
          {Level::note, Code::program_unknown,
           "no state lies there yet, so whether the same program plays there cannot be told",
           "make one state there first to be sure"});
    else if (!shelf.is_same_program(maker))
      (void)checks.add({Level::error,
                        Code::other_program,
                        other_program_text(shelf.maker_there(), maker_text(maker)),
                        {"only the program that made a state can load it; save inside the game and "
                         "carry that, or look for it with '",
                         Remedy::dig_state, "'"}});
    if (!shelf.names_known())
      (void)checks.add(
          {Level::error, Code::no_match,
           "states there bear more than their ROMs' names, and none of this game shows "
           "what its name would be",
           "make one state of the game there first, so that its name can be imitated"});
  }

  Result<std::optional<Placement>> place_on(const StateShelf& shelf, const std::string& slot,
                                            const Source& source, Bytes bytes, MoveReport& line,
                                            Checks& checks) {
    const auto built = shelf.build(slot);
    if (!built) {
      (void)checks.add(
          {Level::error, Code::no_match, built.error().text,
           "give the ROM there a name that can stand in a path, or change the pattern"});
      return std::optional<Placement>{};
    }
    const auto path = shelf_path(context_.bay(), shelf.shelf(), *built, checks);
    if (!path) return tl::unexpected(path.error());
    if (shelf.pattern().uses("slot")) line.slot = slot;
    auto unit =
        place_whole_file(context_, source, line, *path, shelf.shelf().names, std::move(bytes));
    if (!unit) return tl::unexpected(unit.error());
    Placement placement;
    placement.units.push_back(std::move(*unit));
    return std::optional<Placement>(std::move(placement));
  }

  const CarryContext& context_;
};

}  // namespace

std::unique_ptr<Target> make_state_target(const CarryContext& context) {
  return std::make_unique<StateTarget>(context);
}

}  // namespace bayswap
