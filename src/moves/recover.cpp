// How a unit of a move ends: swapped in, taken back, or left to whoever wrote in between. The same
// steps serve a run that fails midway and the run after one that was cut off.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "moves/mover.h"

namespace bayswap {
namespace {

// Older versions did not record the folder that a move swaps; it shows by what lies beside it.
Path swapped_folder(Storage& storage, const MoveRecord& move) {
  if (!move.folder.empty()) return move.folder;
  for (const Step& step : move.steps)
    for (Path at = step.path; at.has_relative_path(); at = at.parent_path())
      for (const char* end : {"-new", "-old"})
        if (!is_missing(storage, beside(at, tag_of(move) + end))) return at;
  return {};
}

bool missing_before(const Unit& unit, const MoveRecord& move) {
  return unit.folder ? move.makes_folder : !unit.steps.front()->before.digest;
}
bool missing_after(const Unit& unit, const MoveRecord& move) {
  return unit.folder ? move.removes_folder : !unit.steps.front()->after.digest;
}

// Bay Swap's own leftovers do not tell that a place is there.
bool has_anything(Storage& storage, const Path& place) {
  const auto names = storage.list(place);
  return names && std::ranges::any_of(*names, [](const std::string& name) {
           return !name.starts_with(".bayswap-");
         });
}

Error not_there(const Path& place) {
  return {Trouble::place, Code::place_failed,
          fmt::format("{}: is not there, or it is an empty mount point", safe_text(place.string())),
          "plug in or mount the place, and try again"};
}

// Whether what is missing in a place is missing for certain, and not out with its medium.
Result<void> is_surely_there(Storage& storage, const MoveRecord& move) {
  if (move.place.empty()) return {};
  if (!storage.list(move.place)) return tl::unexpected(not_there(move.place));
  if (move.place_id.empty() || storage.identity(move.place) == move.place_id) return {};
  if (has_anything(storage, move.place)) return {};
  return tl::unexpected(not_there(move.place));
}

}  // namespace

Result<void> check_place(Storage& storage, const MoveRecord& move) {
  return is_surely_there(storage, move);
}

std::vector<Unit> units_of(Storage& storage, const MoveRecord& move) {
  std::vector<Unit> units;
  const Path folder = swapped_folder(storage, move);
  const std::string tag = tag_of(move);
  if (!folder.empty())
    units.push_back({folder, beside(folder, tag + "-new"), beside(folder, tag + "-old"), true, {}});
  for (std::size_t i = 0; i < move.steps.size(); ++i) {
    const Step& step = move.steps[i];
    if (!folder.empty() && lies_in(folder, step.path)) {
      units.front().steps.push_back(&step);
      continue;
    }
    const std::string own = fmt::format("{}-{}", tag, i);
    units.push_back(
        {step.path, beside(step.path, own), beside(step.path, own + "-old"), false, {&step}});
  }
  return units;
}

// The two swap names: what is staged comes into its place, and what was there waits beside it.
Result<void> Mover::swap_names(const Unit& unit) {
  const bool here = !is_missing(storage_, unit.place);
  const bool staged = !is_missing(storage_, unit.aside);
  if (here && staged) {
    const auto swapped = storage_.exchange(unit.aside, unit.place);
    if (!swapped) return tl::unexpected(swapped.error());
    if (!*swapped) {
      if (auto moved = storage_.rename_new(unit.place, unit.old_aside); !moved) return moved;
      if (auto moved = storage_.rename_new(unit.aside, unit.place); !moved) {
        (void)storage_.rename_new(unit.old_aside, unit.place);
        return moved;
      }
      if (auto moved = storage_.rename_new(unit.old_aside, unit.aside); !moved) return moved;
    }
  } else if (auto moved = here ? storage_.rename_new(unit.place, unit.aside)
                               : storage_.rename_new(unit.aside, unit.place);
             !moved) {
    return moved;
  }
  return storage_.flush_folder(unit.place.parent_path());
}

// What lies at `root`, which is the unit's place or what waits beside it.
Result<Mover::Holds> Mover::holds(const Unit& unit, const Path& root) {
  if (unit.folder) {
    const auto info = storage_.info(root);
    if (!info && info.error().code == Code::missing) return Holds::nothing;
    if (!info) return tl::unexpected(info.error());
    if (info->type != FileType::folder) return Holds::neither;
  }
  bool before = true;
  bool after = true;
  bool any = unit.folder;
  for (const Step* step : unit.steps) {
    const Path path = unit.folder ? root / Path(step->path).lexically_relative(unit.place) : root;
    const auto there = version_at(storage_, path);
    if (!there && there.error().code == Code::link) return Holds::neither;
    if (!there) return tl::unexpected(there.error());
    any = any || there->digest;
    before = before && there->digest == step->before.digest;
    after = after && there->digest == step->after.digest;
  }
  if (!any) return Holds::nothing;
  return after ? Holds::after : before ? Holds::before : Holds::neither;
}

Result<void> Mover::clear_asides(const Unit& unit, Door& door) {
  bool any = false;
  for (const Path& aside : {unit.aside, unit.old_aside}) {
    const auto info = storage_.info(aside);
    if (!info && info.error().code == Code::missing) continue;
    if (!info) return tl::unexpected(info.error());
    door.call(aside, unit.place);
    auto gone = info->type == FileType::folder ? door.take_out_tree(aside) : door.take_out(aside);
    if (!gone) return gone;
    any = true;
  }
  // A leftover that comes back after a loss of power would be nobody's.
  return any ? storage_.flush_folder(unit.place.parent_path()) : Result<void>{};
}

// `forced`: what is in place is ours, although it reads differently.
Result<void> Mover::take_back(const Unit& unit, bool forced) {
  if (auto swapped = swap_names(unit); !swapped) return swapped;
  if (forced || is_missing(storage_, unit.aside)) return {};
  const auto went = holds(unit, unit.aside);
  if (!went) return tl::unexpected(went.error());
  if (*went == Holds::after) return {};
  // Somebody wrote in this very moment: their progress stays in place.
  met_others_ = true;
  return swap_names(unit);
}

// Nothing is in place where something was before and should be after.
Result<void> Mover::put_back_lost(const MoveRecord& move, const Unit& unit) {
  if (auto sure = is_surely_there(storage_, move); !sure) return sure;
  const auto waits = holds(unit, unit.aside);
  if (!waits) return tl::unexpected(waits.error());
  if (*waits == Holds::before) return storage_.rename_new(unit.aside, unit.place);
  met_others_ = true;  // somebody took it away; history holds what it was
  return {};
}

Result<void> Mover::finish_unit(const MoveRecord& move, const Unit& unit, bool forward,
                                Door& door) {
  // Between the two renames of a system that can't swap in one step.
  if (!is_missing(storage_, unit.old_aside)) {
    const Path* free = is_missing(storage_, unit.place)   ? &unit.place
                       : is_missing(storage_, unit.aside) ? &unit.aside
                                                          : nullptr;
    if (free != nullptr)
      if (auto moved = storage_.rename_new(unit.old_aside, *free); !moved) return moved;
  }
  auto now = holds(unit, unit.place);
  if (!now) return tl::unexpected(now.error());
  if (*now == Holds::nothing)
    now = missing_before(unit, move)  ? Holds::before
          : missing_after(unit, move) ? Holds::after
                                      : Holds::nothing;
  if (*now == Holds::nothing) {
    if (auto back = put_back_lost(move, unit); !back) return back;
  } else if (*now == Holds::neither) {
    met_others_ = true;
    if (const auto info = storage_.info(unit.place); info && info->type == FileType::folder) {
      if (auto kept = door.keep_found_tree(unit.place); !kept) return kept;
    } else if (info && info->type == FileType::file) {
      if (auto kept = door.keep_found(unit.place); !kept) return kept;
    }
  } else if (*now == Holds::after && !forward) {
    const auto waits = holds(unit, unit.aside);
    if (!waits) return tl::unexpected(waits.error());
    if (*waits == Holds::before || missing_before(unit, move))
      if (auto back = take_back(unit, false); !back) return back;
  } else if (*now == Holds::before && is_missing(storage_, unit.place)) {
    if (auto sure = is_surely_there(storage_, move); !sure) return sure;
  }
  return clear_asides(unit, door);
}

void Mover::remove_made_folders(const MoveRecord& move) {
  for (std::size_t i = move.steps.size(); i-- > 0;)
    for (std::size_t k = move.steps[i].made_folders.size(); k-- > 0;)
      (void)storage_.remove_folder(move.steps[i].made_folders[k]);  // only when empty
  for (const Step& step : move.steps)
    for (const FolderTime& time : step.folder_times)
      (void)storage_.set_modified(time.path, time.before_ns);
}

// `forced`: the read-back failed, and nobody else wrote there.
Result<void> Mover::roll_back(const MoveRecord& move, const std::vector<Unit>& units, bool forced) {
  Door door(storage_, history_, move);
  for (const Step& step : move.steps)
    if (step.after.digest) door.know(*step.after.digest);
  Result<void> outcome;
  for (std::size_t i = units.size(); i-- > 0;) {
    Result<void> back;
    if (forced) {
      // A medium that reads wrongly can't be asked what lies where.
      back = take_back(units[i], true);
      if (back) back = clear_asides(units[i], door);
    } else {
      back = finish_unit(move, units[i], false, door);
    }
    if (!back) outcome = std::move(back);
  }
  if (outcome && !met_others_) remove_made_folders(move);
  if (outcome && met_others_) outcome = door.keep_before(move);
  return outcome;
}

Result<void> Mover::recover_one(MoveRecord& move) {
  if (!move.place.empty() && !storage_.list(move.place))
    return tl::unexpected(not_there(move.place));
  const std::vector<Unit> units = units_of(storage_, move);
  bool complete = true;
  bool others = false;
  for (const Unit& unit : units) {
    const auto now = holds(unit, unit.place);
    if (!now) return tl::unexpected(now.error());
    others = others || *now == Holds::neither;
    complete =
        complete && (*now == Holds::after || (*now == Holds::nothing && missing_after(unit, move)));
  }
  Door door(storage_, history_, move);
  for (const Step& step : move.steps)
    if (step.after.digest) door.know(*step.after.digest);
  met_others_ = false;
  // Where somebody played on, nothing is taken back: a mixture would be worse.
  for (const Unit& unit : units)
    if (auto done = finish_unit(move, unit, complete || others, door); !done) return done;
  if (complete) {
    note_results(move);
    move.state = MoveState::done;
    return history_.finish_move(move);
  }
  if (met_others_) {
    if (auto kept = door.keep_before(move); !kept) return kept;
  } else {
    remove_made_folders(move);
  }
  return history_.mark(move.id, MoveState::rolled_back);
}

Result<void> Mover::recover() {
  auto moves = history_.unfinished();
  if (!moves) return tl::unexpected(moves.error());
  std::vector<WaitingMove> waiting;
  for (MoveRecord& move : *moves) {
    const auto done = recover_one(move);
    if (done) continue;
    WaitingMove wait{move.id, {}, done.error()};
    if (!move.folder.empty()) wait.paths.push_back(move.folder);
    for (const Step& step : move.steps) wait.paths.push_back(step.path);
    waiting.push_back(std::move(wait));
  }
  history_.set_waiting(std::move(waiting));
  met_others_ = false;
  return {};
}

Result<void> Mover::give_up(std::int64_t id) {
  const auto move = history_.move(id);
  if (!move) return tl::unexpected(move.error());
  Door door(storage_, history_, *move);
  if (auto kept = door.keep_before(*move); !kept) return kept;
  std::vector<WaitingMove> waiting = history_.waiting();
  std::erase_if(waiting, [&](const WaitingMove& wait) { return wait.id == id; });
  history_.set_waiting(std::move(waiting));
  return history_.mark(id, MoveState::rolled_back);
}

}  // namespace bayswap
