#include "moves/state_target.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <set>

#include "places/name_fields.h"
#include "places/walk.h"
#include "bayswap/naming.h"
#include "bayswap/state.h"
#include "core/bytes/text.h"
#include "moves/mover.h"
#include "moves/shelf_path.h"
#include "core/packing/packing.h"

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
  StateShelf(Session& session, RomFolders& folders, const Bay& bay, const Shelf& shelf,
             NamingPattern pattern)
      : session_(session),
        folders_(folders),
        bay_(bay),
        shelf_(shelf),
        pattern_(std::move(pattern)) {}

  [[nodiscard]] const Shelf& shelf() const { return shelf_; }
  [[nodiscard]] const NamingPattern& pattern() const { return pattern_; }
  [[nodiscard]] bool empty() const { return there_.states.empty(); }

  void read(const Source& source, const TargetGame& game) {
    fields_ = fields_there(session_, folders_, bay_, shelf_, pattern_, source, game);
    std::size_t others = 0;
    std::string own_stem;
    walk_files(*session_.storage, bay_.place, true, [&](const Path& path, const FileInfo&) {
      auto fields = pattern_.match(path.lexically_relative(bay_.place).generic_string());
      if (!fields) return;
      if (const auto slot = fields->find("slot"); slot != fields->end()) {
        if (const auto number = slot_number(slot->second)) there_.slots.insert(*number);
        fields->erase(slot);
      }
      const bool this_game = is_of(*fields, game);
      if (const auto stem = fields->find("stem"); stem != fields->end() && this_game)
        own_stem = stem->second;
      if (!this_game && ++others > kMostCompared) return;
      const auto view = session_.storage->view(path, kSaveLimit);
      const auto state = view ? read_state(view->bytes(), path.string())
                              : Result<StateInfo>(tl::unexpected(view.error()));
      if (state) there_.states.push_back({state->maker, this_game});
    });
    if (!own_stem.empty()) fields_.insert_or_assign("stem", own_stem);
    names_known_ = !own_stem.empty() || there_.by_others <= there_.by_rom;
  }

  /// False where files here bear more than their ROMs' names, and none of this game shows what.
  [[nodiscard]] bool names_known() const { return names_known_; }

  // States of the game itself say more than those of others.
  [[nodiscard]] SameProgram compare(const StateMaker& maker) const {
    for (const bool same_game : {true, false}) {
      bool any = false;
      bool unknown = false;
      for (const ShelfStates::State& there : there_.states) {
        if (there.of_this_game != same_game) continue;
        any = true;
        const SameProgram verdict = same_program(maker, there.maker, same_game);
        if (verdict == SameProgram::yes) return verdict;
        unknown = unknown || verdict == SameProgram::unknown;
      }
      if (any) return unknown ? SameProgram::unknown : SameProgram::no;
    }
    return SameProgram::unknown;
  }
  [[nodiscard]] std::string maker_there() const { return maker_text(there_.states.front().maker); }

  // The lowest number that this program uses and no file has.
  [[nodiscard]] std::string free_slot() const {
    unsigned slot = there_.slots.empty() || there_.slots.contains(0) ? 0 : 1;
    for (; slot < kMostSlots; ++slot) {
      const auto path = build(std::to_string(slot));
      if (path && is_missing(*session_.storage, bay_.place / *path)) break;
    }
    return std::to_string(slot);
  }

  [[nodiscard]] Result<std::string> build(const std::string& slot) const {
    Fields fields = fields_;
    fields.insert_or_assign("slot", slot);
    return pattern_.build(fields);
  }

 private:
  // By the ROM that the name means; else all that the pattern says is as it would be written now.
  bool is_of(const Fields& fields, const TargetGame& game) {
    const auto roms = roms_of_fields(*session_.storage, folders_.of_shelf(bay_, shelf_),
                                     shelf_.system, fields, session_.catalog);
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

  Session& session_;
  RomFolders& folders_;
  const Bay& bay_;
  const Shelf& shelf_;
  NamingPattern pattern_;
  Fields fields_;
  ShelfStates there_;
  bool names_known_ = true;
};

int rank(const StateShelf& shelf, const StateMaker& maker) {
  if (shelf.empty()) return 1;
  const SameProgram verdict = shelf.compare(maker);
  return verdict == SameProgram::yes ? 3 : verdict == SameProgram::unknown ? 2 : 0;
}

std::optional<std::string> wanted_slot(const StateShelf& shelf, const Source& source,
                                       const CarryRequest& request, Checks& checks) {
  if (request.slot == "free") return shelf.free_slot();
  const std::string& text = request.slot.empty() ? source.slot : request.slot;
  if (text.empty()) return "0";
  if (const auto number = slot_number(text)) return std::to_string(*number);
  (void)checks.add({Level::error, "no-match", fmt::format("'{}' is no slot", safe_text(text)),
                    "write --slot with a number, or --slot free"});
  return std::nullopt;
}

Result<std::optional<StateTarget>> target_on(Session& session, const Bay& bay,
                                             const StateShelf& shelf, const Source& source,
                                             const FileView& state, const std::string& slot,
                                             Checks& checks) {
  const auto built = shelf.build(slot);
  if (!built) {
    (void)checks.add({Level::error, "no-match", built.error().text,
                      "give the ROM there a name that can stand in a path, or change the pattern"});
    return std::optional<StateTarget>{};
  }
  const auto path = shelf_path(bay, shelf.shelf(), *built, checks);
  if (!path) return tl::unexpected(path.error());
  StateTarget target;
  if (shelf.pattern().uses("slot")) target.slot = slot;
  TargetFile& file = target.file;
  file.path = *path;
  file.names = shelf.shelf().names;
  file.carried = source.save;
  file.from = {source.shown()};
  file.bytes.assign(state.bytes().begin(), state.bytes().end());
  if (auto noted = compare_whole(*session.storage, file); !noted)
    return tl::unexpected(noted.error());
  return std::optional<StateTarget>(std::move(target));
}

}  // namespace

Result<std::optional<StateTarget>> make_state_target(Session& session, RomFolders& folders,
                                                     const Bay& bay, const Source& source,
                                                     const TargetGame& game,
                                                     const CarryRequest& request, Checks& checks) {
  const auto view = session.storage->view(source.files.front(), kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  const auto state = read_state(view->bytes(), source.shown());
  if (!state) {
    (void)checks.add({Level::error, "damaged", state.error().text, state.error().hint});
    return std::optional<StateTarget>{};
  }
  // A state moves as it is; the checks of the compression around it say whether it is whole.
  if (const Packing packing = packing_of(view->bytes()); packing != Packing::plain)
    if (const auto whole =
            unpack(view->bytes(), packing, kMostUnpacked, AtLimit::cut, source.shown());
        !whole)
      (void)checks.add({Level::error, "damaged", whole.error().text, whole.error().hint});
  if (checks.stopped()) return std::optional<StateTarget>{};
  std::optional<StateShelf> best;
  for (const Shelf& shelf : bay.shelves) {
    auto pattern = NamingPattern::parse(shelf.pattern);
    if (shelf.kind != Kind::state || shelf.system != source.save.system || !pattern) continue;
    StateShelf one(session, folders, bay, shelf, std::move(*pattern));
    one.read(source, game);
    if (!best || rank(one, state->maker) > rank(*best, state->maker)) best.emplace(std::move(one));
  }
  if (!best) return std::optional<StateTarget>{};
  if (best->empty())
    checks.note({Level::note, "program-unknown",
                 "no state lies there yet, so whether the same program plays there cannot be told",
                 "make one state there first to be sure"});
  else if (const SameProgram verdict = best->compare(state->maker); verdict == SameProgram::no)
    (void)checks.add({Level::error, "other-program",
                      fmt::format("the states there are another program's: they are {}; this one "
                                  "is {}",
                                  best->maker_there(), maker_text(state->maker)),
                      "only the program that made a state can load it; save inside the game and "
                      "carry that, or look for it with 'bayswap state dig'"});
  else if (verdict == SameProgram::unknown)
    checks.note({Level::note, "program-unknown",
                 "nothing speaks against the same program there, and nothing for it", ""});
  if (!best->names_known())
    (void)checks.add({Level::error, "no-match",
                      "states there bear more than their ROMs' names, and none of this game shows "
                      "what its name would be",
                      "make one state of the game there first, so that its name can be imitated"});
  if (checks.stopped()) return std::optional<StateTarget>{};
  const auto slot = wanted_slot(*best, source, request, checks);
  if (!slot) return std::optional<StateTarget>{};
  return target_on(session, bay, *best, source, *view, *slot, checks);
}

}  // namespace bayswap
