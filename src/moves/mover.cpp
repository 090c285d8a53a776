#include "moves/mover.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <utility>

#include "bytes/fill.h"
#include "bytes/text.h"
#include "moves/in_use.h"
#include "storage/atomic_write.h"
#include "storage/clock.h"
#include "storage/two_threads.h"

namespace bayswap {
namespace {

Path temporary_of(const MoveRecord& move, std::size_t step) {
  return beside(move.steps[step].path, fmt::format("{}-{}", tag_of(move), step));
}

Path nearest_folder(Storage& storage, const Path& path) {
  Path folder = path.parent_path();
  while (folder.has_relative_path() && is_missing(storage, folder)) folder = folder.parent_path();
  return folder;
}

}  // namespace

std::string tag_of(const MoveRecord& move) {
  return fmt::format("{}-{:x}", move_name(move.id), move.time_ns);
}

Result<FileVersion> version_at(Storage& storage, const Path& path) {
  const auto info = storage.info(path);
  if (!info && info.error().code == "missing") return FileVersion{};
  if (!info) return tl::unexpected(info.error());
  if (info->type != FileType::file)
    return fail(Trouble::stopped, "link",
                fmt::format("{}: is {} where a file was expected", safe_text(path.string()),
                            info->type == FileType::link ? "a link" : "a folder or device"),
                "Bay Swap does not write through links; put a plain file there");
  const auto digest = storage.digest(path);
  if (!digest) return tl::unexpected(digest.error());
  return FileVersion{*digest, info->modified_ns, info->mode};
}

Result<History> settled_history(Storage& storage, const Path& file) {
  auto history = History::open(storage, file);
  if (!history) return history;
  if (auto recovered = Mover(storage, *history).recover(); !recovered)
    return tl::unexpected(recovered.error());
  return history;
}

// What is at a change's path, when it is still what the plan saw. Comparing bytes is cheaper than
// hashing them.
Result<FileVersion> Mover::version_before(const FileChange& change) {
  if (!change.seen) {
    auto there = version_at(storage_, change.path);
    if (there && there->digest != change.before) return tl::unexpected(place_changed(change.path));
    return there;
  }
  auto there = version_seen(change);
  if (!there) return there;
  const auto view = storage_.view(change.path, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  if (!same_bytes(view->bytes(), *change.seen)) return tl::unexpected(place_changed(change.path));
  replaced_.push_back({change.path, *view});
  return there;
}

// The file's time and mode, for content that the plan has read.
Result<FileVersion> Mover::version_seen(const FileChange& change) {
  const auto info = storage_.info(change.path);
  if (!info && info.error().code == "missing") return tl::unexpected(place_changed(change.path));
  if (!info) return tl::unexpected(info.error());
  if (info->type != FileType::file) return version_at(storage_, change.path);
  if (info->size != change.seen->size()) return tl::unexpected(place_changed(change.path));
  return FileVersion{change.before, info->modified_ns, info->mode};
}

Result<void> Mover::record(MoveRecord& move, const std::vector<FileChange>& changes,
                           const FolderSwap* swap) {
  auto transaction = Transaction::begin(history_.database());
  if (!transaction) return tl::unexpected(transaction.error());
  if (move.command == 0) {
    const auto command = history_.begin_command(move.kind, move.time_ns);
    if (!command) return tl::unexpected(command.error());
    move.command = *command;
  }
  for (const FileChange& change : changes) {
    auto before = change.seen ? version_seen(change) : version_before(change);
    if (!before) return tl::unexpected(before.error());
    std::optional<FileView> old;
    ContentDigests older;
    if (before->digest && change.seen) {
      // Whether it is still there is looked at once more before the new content takes its place.
      old.emplace(ByteView(*change.seen), change.seen);
      older = change.seen_digests;
    } else if (before->digest && change.large) {
      const auto kept = history_.keep_file(storage_, change.path);
      if (!kept) return tl::unexpected(kept.error());
      if (*kept != *before->digest) return tl::unexpected(place_changed(change.path));
    } else if (before->digest) {
      auto view = storage_.view(change.path, kSaveLimit);
      if (!view) return tl::unexpected(view.error());
      old = *view;
      older = digests_of(old->bytes());
      if (older.whole != *before->digest) return tl::unexpected(place_changed(change.path));
    }
    if (old)
      if (auto kept = history_.keep_as(older, old->bytes()); !kept)
        return tl::unexpected(kept.error());
    Step step;
    step.path = change.path.string();
    step.before = *before;
    step.after.mode = before->digest ? before->mode : change.mode;
    step.after.modified_ns = change.modified_ns.value_or(0);
    if (change.from) {
      // Known when it is copied; until then nothing that lies there is taken for it.
      step.after.digest = Digest{};
    } else if (change.content) {
      const ContentDigests digests =
          change.content_digests.valid()
              ? change.content_digests.get()
              : digests_of(*change.content, old ? old->bytes() : ByteView{}, older);
      if (auto kept = history_.keep_as(digests, *change.content, older); !kept)
        return tl::unexpected(kept.error());
      step.after.digest = digests.whole;
    }
    move.steps.push_back(std::move(step));
  }
  note_folders(move);
  // A swap touches the times of the folder and of the one that it lies in.
  if (swap != nullptr && !move.steps.empty())
    for (const Path& folder : {swap->folder, nearest_folder(storage_, swap->folder)})
      if (const auto info = storage_.info(folder))
        move.steps.front().folder_times.push_back({folder.string(), info->modified_ns, 0});
  if (auto begun = history_.begin_move(move); !begun) return begun;
  return transaction->commit();
}

void Mover::note_folders(MoveRecord& move) {
  for (Step& step : move.steps) {
    const Path folder = nearest_folder(storage_, step.path);
    if (const auto info = storage_.info(folder))
      step.folder_times.push_back({folder.string(), info->modified_ns, 0});
  }
}

void Mover::note_results(MoveRecord& move) {
  for (Step& step : move.steps) {
    if (const auto info = storage_.info(step.path)) step.after.modified_ns = info->modified_ns;
    for (FolderTime& time : step.folder_times)
      if (const auto info = storage_.info(time.path)) time.after_ns = info->modified_ns;
  }
}

// Makes the new file and takes the last look before the old content goes: whoever wrote since the
// plan keeps what they wrote. A large file is looked at while the new one goes to the medium.
Result<void> Mover::stage_beside(const FileChange& change, std::uint32_t mode,
                                 const Path& temporary) {
  constexpr std::size_t kLarge = 1U << 20U;
  constexpr std::int64_t kCoarse = 20'000'000;  // nanoseconds: as fine as any clock of files is
  const std::int64_t start = now_ns();
  const auto seen = storage_.info(change.path);
  // FAT's own times are too coarse to tell of a change in between.
  const bool beside = change.seen && change.seen->size() >= kLarge && seen &&
                      seen->modified_ns < start - kCoarse && !storage_.is_fat(change.path);
  std::optional<Meanwhile<Result<FileVersion>>> look;
  if (beside) look.emplace([&] { return version_before(change); });
  auto created = storage_.create(temporary, *change.content, mode);
  if (created && change.modified_ns)
    created = storage_.set_modified(temporary, *change.modified_ns);
  auto there = look ? look->get() : Result<FileVersion>{};
  if (!created) return created;
  const auto now = beside ? storage_.info(change.path) : seen;
  if (!beside || !now || now->modified_ns != seen->modified_ns || now->size != seen->size)
    there = version_before(change);
  if (!there) return tl::unexpected(there.error());
  return {};
}

Result<void> Mover::write(const FileChange& change, Step& step, const Path& temporary) {
  const Path folder = change.path.parent_path();
  if (!change.content) {
    if (auto removed = storage_.remove(change.path); !removed) return removed;
    return storage_.flush_folder(folder);
  }
  auto made = make_folders(storage_, folder);
  if (!made) return tl::unexpected(made.error());
  for (const Path& path : *made) step.made_folders.push_back(path.string());
  if (auto staged = stage_beside(change, step.after.mode, temporary); !staged) return staged;
  if (auto moved = storage_.rename(temporary, change.path); !moved) return moved;
  return storage_.flush_folder(folder);
}

Result<void> Mover::read_back(const MoveRecord& move, const std::vector<FileChange>& changes) {
  for (std::size_t i = 0; i < changes.size(); ++i) {
    bool same = false;
    if (changes[i].from) {
      same = !is_missing(storage_, changes[i].path);  // its bytes were compared when it was staged
    } else if (changes[i].content) {
      const auto there = storage_.view(changes[i].path, kSaveLimit);
      if (!there) return tl::unexpected(there.error());
      same = same_bytes(there->bytes(), *changes[i].content);
    } else {
      same = is_missing(storage_, changes[i].path);
    }
    if (!same) return tl::unexpected(read_differently(move.steps[i].path));
  }
  return {};
}

Result<void> Mover::put_back(const MoveRecord& move) {
  Result<void> outcome = settle_swap(move, false);
  for (std::size_t i = move.steps.size(); i-- > 0;) {
    const Step& step = move.steps[i];
    const Path temporary = temporary_of(move, i);
    if (!is_missing(storage_, temporary))
      if (auto removed = storage_.remove(temporary); !removed) outcome = removed;
    const auto there = version_at(storage_, step.path);
    if (!there) {
      outcome = tl::unexpected(there.error());
      continue;
    }
    const bool ours = there->digest == step.after.digest;
    if (ours && step.before.digest != step.after.digest) {
      if (!step.before.digest) {
        if (auto removed = storage_.remove(step.path); !removed) outcome = removed;
      } else {
        const auto content = history_.content(*step.before.digest);
        if (!content) return tl::unexpected(content.error());
        auto back = storage_.create(temporary, *content, step.before.mode);
        if (back) back = storage_.set_modified(temporary, step.before.modified_ns);
        if (back) back = storage_.rename(temporary, step.path);
        if (!back) outcome = back;
      }
    }
    for (std::size_t k = step.made_folders.size(); k-- > 0;)
      (void)storage_.remove_folder(step.made_folders[k]);
    for (const FolderTime& time : step.folder_times)
      if (auto set = storage_.set_modified(time.path, time.before_ns); !set) outcome = set;
  }
  return outcome;
}

Result<MoveRecord> Mover::apply(MoveRecord move, const std::vector<FileChange>& changes,
                                const std::function<Result<void>()>& verify,
                                const FolderSwap* swap) {
  if (!allow_in_use_)
    for (const FileChange& change : changes)
      if (const auto held = in_use(storage_, change.path))
        return fail(Trouble::stopped, held->code, held->text, held->hint);
  move.time_ns = now_ns();
  move.state = MoveState::writing;
  if (auto recorded = record(move, changes, swap); !recorded)
    return tl::unexpected(recorded.error());
  Result<void> outcome;
  if (swap != nullptr) outcome = swap_in(*swap, changes, move);
  for (std::size_t i = 0; i < changes.size() && outcome; ++i)
    if (swap == nullptr || !lies_in(swap->folder, changes[i].path))
      outcome = write(changes[i], move.steps[i], temporary_of(move, i));
  if (outcome) outcome = read_back(move, changes);
  if (outcome) outcome = verify();
  if (!outcome) {
    // When putting back fails too, the journal stays open and the next run tries again.
    if (put_back(move)) (void)history_.mark(move.id, MoveState::rolled_back);
    return tl::unexpected(outcome.error());
  }
  if (swap != nullptr)
    if (auto settled = settle_swap(move, true); !settled) return tl::unexpected(settled.error());
  note_results(move);
  move.state = MoveState::done;
  if (auto finished = history_.finish_move(move); !finished)
    return tl::unexpected(finished.error());
  // Not before: what is flushed meanwhile would wait for the room to be freed.
  storage_.let_go(std::exchange(replaced_, {}));
  return move;
}

Result<void> Mover::recover() {
  auto moves = history_.unfinished();
  if (!moves) return tl::unexpected(moves.error());
  for (MoveRecord& move : *moves) {
    bool complete = true;
    for (const Step& step : move.steps) {
      const auto there = version_at(storage_, step.path);
      if (!there) return tl::unexpected(there.error());
      complete = complete && there->digest == step.after.digest;
    }
    if (auto settled = settle_swap(move, complete); !settled) return settled;
    if (complete) {
      note_results(move);
      move.state = MoveState::done;
      if (auto finished = history_.finish_move(move); !finished) return finished;
    } else {
      if (auto back = put_back(move); !back) return back;
      if (auto marked = history_.mark(move.id, MoveState::rolled_back); !marked) return marked;
    }
  }
  return {};
}

}  // namespace bayswap
