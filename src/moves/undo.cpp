// Taking moves back.
#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "bayswap/carry.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/clock.h"
#include "moves/cart_open.h"
#include "moves/mover.h"
#include "moves/waiting.h"

namespace bayswap {
namespace {

// Folders whose time is still the one that the move left: their old time can return.
std::vector<FolderTime> untouched_folders(Storage& storage, const MoveRecord& move) {
  std::vector<FolderTime> untouched;
  for (const Step& step : move.steps)
    for (const FolderTime& time : step.folder_times) {
      const auto info = storage.info(time.path);
      const bool same = info && info->modified_ns == time.after_ns;
      // A folder that the move took away comes back.
      if (same || is_missing(storage, time.path)) untouched.push_back(time);
    }
  return untouched;
}

Result<std::vector<FileChange>> changes_back(Storage& storage, const History& history,
                                             const MoveRecord& move) {
  std::vector<FileChange> changes;
  for (const Step& step : move.steps) {
    const auto there = version_at(storage, step.path);
    if (!there) return tl::unexpected(there.error());
    FileChange change;
    change.path = step.path;
    change.before = there->digest;
    if (step.before.digest) {
      if (!history.size_of(*step.before.digest))
        return fail(
            Trouble::stopped, Code::tidied_away,
            fmt::format("{}: the version that {} replaced was tidied away from the history",
                        safe_text(step.path), move_name(move.id)),
            {"nothing was changed; '", Remedy::show_history, "' shows which versions are left"});
      change.kept = step.before.digest;
      change.mode = step.before.mode;
      change.modified_ns = step.before.modified_ns;
    }
    if (change.kept || change.before) changes.push_back(std::move(change));
  }
  return changes;
}

// A folder that was swapped in comes back by a swap.
Result<std::optional<FolderSwap>> swap_back(Storage& storage, const MoveRecord& move,
                                            const std::vector<FileChange>& changes) {
  if (move.folder.empty() || move.removes_folder) return std::optional<FolderSwap>{};
  FolderSwap swap;
  swap.folder = move.folder;
  auto seen = files_seen(storage, swap.folder);
  if (!seen) return tl::unexpected(seen.error());
  swap.seen = std::move(*seen);
  // What the move made goes as a whole, unless somebody has put more there.
  swap.goes = move.makes_folder && std::ranges::all_of(swap.seen, [&](const auto& file) {
                return std::ranges::any_of(changes, [&](const FileChange& change) {
                  return change.goes() && change.path == swap.folder / file.first;
                });
              });
  return std::optional<FolderSwap>(std::move(swap));
}

MoveReport report_of(const MoveRecord& move, const Step& step) {
  MoveReport report;
  report.move = move_name(move.id);
  if (step.before.digest) report.from = {"history"};
  report.to = step.path;
  report.game.title = move.title;
  report.replaces = step.before.digest.has_value();
  return report;
}

// What each file will hold once the newer moves of the command have been taken back.
using PutBack = std::map<Path, std::optional<Digest>>;

std::optional<Finding> changed_since(Storage& storage, const PutBack& put_back, const Step& step) {
  if (const auto newer = put_back.find(step.path); newer != put_back.end()) {
    if (newer->second == step.after.digest) return std::nullopt;
  } else {
    const auto there = version_at(storage, step.path);
    if (there && there->digest == step.after.digest) return std::nullopt;
  }
  return Finding{
      Level::error,
      Code::newer_there,
      fmt::format("{}: changed since the move, and that progress would go", safe_text(step.path)),
      {"keep it, or give it up with ", accept_remedy(Code::newer_there), " (it stays in history)"}};
}

void restore_folders(Storage& storage, const MoveRecord& move,
                     const std::vector<FolderTime>& times) {
  for (std::size_t i = move.steps.size(); i-- > 0;)
    for (std::size_t k = move.steps[i].made_folders.size(); k-- > 0;)
      (void)storage.remove_folder(move.steps[i].made_folders[k]);
  for (const FolderTime& time : times) (void)storage.set_modified(time.path, time.before_ns);
}

Result<std::vector<MoveRecord>> wanted_moves(const History& history, const std::string& name) {
  if (name.empty()) return history.last_command();
  const auto id = parse_move_name(name);
  if (!id)
    return fail(Trouble::usage, Code::usage,
                fmt::format("'{}' is not the name of a move", safe_text(name)),
                {"moves are named m1, m2 … as '", Remedy::carry, "' prints them"});
  auto move = history.move(*id);
  if (!move) return tl::unexpected(move.error());
  if (move->state != MoveState::done)
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("the move {} does not stand: {}", name,
                            move->state == MoveState::undone ? "it was undone already"
                            : move->state == MoveState::kept ? "it only kept what was there"
                                                             : "it was never completed"),
                {"'", Remedy::undo, "' without a name takes back the last command"});
  return std::vector<MoveRecord>{std::move(*move)};
}

// A move that can't be settled ends as things are when the user says so. False when no such move
// waits.
Result<bool> end_waiting(Mover& mover, const History& history, const std::string& name,
                         const std::set<Code>& accept) {
  const auto id = parse_move_name(name);
  for (const WaitingMove& wait : history.waiting()) {
    if (!id || wait.id != *id) continue;
    if (!accept.contains(Code::newer_there)) {
      Hint hint = wait.reason.hint;
      hint += {"; or leave everything as it is with ", accept_remedy(Code::newer_there),
               " (what the move replaced stays in history)"};
      return fail(Trouble::stopped, Code::in_use,
                  fmt::format("the move {} was cut off and can't be settled now: {}", name,
                              wait.reason.text),
                  hint);
    }
    if (auto ended = mover.give_up(wait.id); !ended) return tl::unexpected(ended.error());
    return true;
  }
  return false;
}

}  // namespace

Result<CarryReport> undo(Session& session, const std::string& name, const std::set<Code>& accept) {
  Storage& storage = *session.storage;
  const auto nothing = [] {
    return fail(
        Trouble::stopped, Code::no_match, "there is nothing to undo",
        "commands that write files can be taken back: carry, card, reshape, restore and others");
  };
  if (is_missing(storage, session.history_file())) return nothing();
  auto history = recovered_history(storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  report_waiting(session, *history);
  Mover mover(storage, *history);
  const auto ended = end_waiting(mover, *history, name, accept);
  if (!ended) return tl::unexpected(ended.error());
  if (*ended) {
    report_waiting(session, *history);
    session.notes.push_back({Level::warn, Code::unsettled,
                             fmt::format("the cut-off move {} has ended, and every file is left "
                                         "as it is",
                                         name),
                             "what the move replaced stays in history"});
    return CarryReport{};
  }
  const auto moves = wanted_moves(*history, name);
  if (!moves) return tl::unexpected(moves.error());
  if (moves->empty()) return nothing();
  for (const MoveRecord& move : *moves)
    if (!move.steps.empty() && is_on_cartridge(move.steps.front().path))
      return fail(
          Trouble::stopped, Code::no_match,
          fmt::format("the move {} wrote a cartridge, and is taken back with that cartridge "
                      "in its reader",
                      move_name(move.id)),
          "put the cartridge in");

  CarryReport report;
  bool stopped = false;
  PutBack put_back;
  for (const MoveRecord& move : *moves)
    for (const Step& step : move.steps) {
      MoveReport line = report_of(move, step);
      if (auto changed = changed_since(storage, put_back, step)) {
        const bool accepted = accept.contains(changed->code);
        if (accepted) changed->level = Level::warn;
        stopped = stopped || !accepted;
        line.checks.push_back(std::move(*changed));
      }
      put_back[step.path] = step.before.digest;
      report.moves.push_back(std::move(line));
    }
  if (stopped) return report;

  // All that can stop it is asked before the first move is taken back.
  for (const MoveRecord& move : *moves)
    if (auto possible = changes_back(storage, *history, move); !possible)
      return tl::unexpected(possible.error());
  const auto command = history->begin_command("undo", now_ns());
  if (!command) return tl::unexpected(command.error());
  std::size_t line = 0;
  for (const MoveRecord& move : *moves) {
    const auto times = untouched_folders(storage, move);
    auto changes = changes_back(storage, *history, move);
    if (!changes) return tl::unexpected(changes.error());
    auto swap = swap_back(storage, move, *changes);
    if (!swap) return tl::unexpected(swap.error());
    if (*swap) (*swap)->progress = session.copy_progress();
    MoveRecord back;
    back.place = move.place.empty() ? place_of(session, move.steps.front().path) : move.place;
    back.place_id = move.place_id;
    back.command = *command;
    back.kind = "undo";
    back.bay = move.bay;
    back.title = move.title;
    back.source = "history";
    back.undoes = move.id;
    auto applied = mover.apply(
        std::move(back), *changes, [] { return Result<void>{}; }, *swap ? &**swap : nullptr);
    if (!applied) {
      report.failed = applied.error();
      report.moves.resize(line);
      return report;
    }
    restore_folders(storage, move, times);
    for (std::size_t i = 0; i < move.steps.size(); ++i)
      report.moves[line++].status = MoveStatus::done;
  }
  return report;
}

Result<void> recover(Session& session) {
  if (is_missing(*session.storage, session.history_file())) return {};
  const auto history = recovered_history(*session.storage, session.history_file());
  if (!history) return tl::unexpected(history.error());
  report_waiting(session, *history);
  return {};
}

void report_waiting(Session& session, const History& history) {
  session.notes.clear();
  for (const WaitingMove& wait : history.waiting())
    session.notes.push_back({Level::warn, Code::unsettled,
                             fmt::format("the move {} was cut off and waits to be settled: {}",
                                         move_name(wait.id), wait.reason.text),
                             wait.reason.hint});
}

std::string place_of(const Session& session, const Path& path) {
  for (const Bay& bay : session.bays.bays())
    if (lies_in(bay.place, path)) return bay.place.string();
  return path.parent_path().string();
}

}  // namespace bayswap
