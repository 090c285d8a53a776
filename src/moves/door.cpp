#include "moves/door.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/clock.h"

namespace bayswap {
namespace {

constexpr std::size_t kPiece = 1U << 20U;
constexpr std::uint64_t kMostInMemory = 16U << 20U;  // bytes

Result<Digest> digest_of(TakenOut& file, std::uint64_t size) {
  VersionHasher hasher(size);
  const auto read = file.stream(kPiece, [&](ByteView piece) {
    hasher.add(piece);
    return true;
  });
  if (!read) return tl::unexpected(read.error());
  return hasher.finish();
}

// Whether a file may have been written since it was looked at without its time telling so.
bool is_young(const FileInfo& info) {
  constexpr std::int64_t kCoarse = 2'500'000'000;  // nanoseconds: coarser than any file's time
  return info.modified_ns + kCoarse > now_ns();
}

tl::unexpected<Error> unexpected_thing(const Path& path) {
  return fail(
      Trouble::place, Code::unexpected,
      fmt::format("{}: is a link or device that was not there before", safe_text(path.string())),
      "look at it, and move it aside");
}

}  // namespace

Door::Door(Storage& storage, History& history, const MoveRecord& finder)
    : storage_(storage),
      history_(history),
      move_(move_name(finder.id)),
      bay_(finder.bay),
      title_(finder.title) {}

bool Door::is_known(const Digest& digest) const {
  return staged_.contains(digest) || history_.size_of(digest).has_value();
}

// The same file in place of what waits or was staged beside it.
std::optional<Path> Door::twin_of(const Path& path) const {
  for (const auto& [aside, place] : names_)
    if (lies_in(aside, path)) return path == aside ? place : place / path.lexically_relative(aside);
  return std::nullopt;
}

bool Door::may_leave(const Path& path, const FileInfo& info, const Digest& digest) const {
  if (is_known(digest)) return true;
  const auto twin = twin_of(path);
  if (!twin) return is_cut_short(path);
  const auto there = storage_.info(*twin);
  if (there && there->type == FileType::file && there->size == info.size) {
    if (there->inode == info.inode && info.inode != 0) return true;  // one file under two names
    const auto same = storage_.digest(*twin);
    if (same && *same == digest) return true;
  }
  return is_cut_short(path);
}

// Whether it is the beginning of what this move was staging when the run was cut off.
bool Door::is_cut_short(const Path& path) const {
  const auto view = storage_.view(path, kMostInMemory);
  if (!view) return false;
  const ByteView bytes = view->bytes();
  if (bytes.empty()) return true;
  return std::ranges::any_of(staged_, [&](const Digest& digest) {
    if (history_.size_of(digest).value_or(0) < bytes.size()) return false;
    std::size_t at = 0;
    bool same = true;
    (void)history_.content_to(digest, [&](ByteView piece) {
      const std::size_t length = std::min(piece.size(), bytes.size() - at);
      same = same && std::ranges::equal(piece.first(length), bytes.subspan(at, length));
      at += length;
      return same && at < bytes.size();
    });
    return same && at == bytes.size();
  });
}

Result<void> Door::note(const Path& path, const FileVersion& version) {
  MoveRecord found;
  found.kind = "keep";
  found.source = fmt::format("found by {}", move_);
  found.bay = bay_;
  found.title = title_;
  found.time_ns = now_ns();
  found.source_modified_ns = version.modified_ns;
  found.state = MoveState::kept;
  const auto command = history_.begin_command("keep", found.time_ns);
  if (!command) return tl::unexpected(command.error());
  found.command = *command;
  Step step;
  step.path = twin_of(path).value_or(path).string();
  step.before = version;
  step.after = version;
  found.steps.push_back(std::move(step));
  return history_.begin_move(found);
}

Result<void> Door::keep_found(const Path& path) {
  const auto info = storage_.info(path);
  if (!info) return tl::unexpected(info.error());
  if (info->type != FileType::file) return unexpected_thing(path);
  auto transaction = Transaction::begin(history_.database());
  if (!transaction) return tl::unexpected(transaction.error());
  const auto digest = history_.keep_file(storage_, path);
  if (!digest) return tl::unexpected(digest.error());
  if (auto noted = note(path, {*digest, info->modified_ns, info->mode}); !noted) return noted;
  return transaction->commit();
}

Result<void> Door::keep_before(const MoveRecord& move) {
  for (const Step& step : move.steps)
    if (step.before.digest && history_.size_of(*step.before.digest))
      if (auto noted = note(step.path, step.before); !noted) return noted;
  return {};
}

Result<void> Door::take_out(const Path& path) {
  constexpr int kTries = 3;
  FileInfo seen;
  Digest proved{};
  for (int attempt = 0;; ++attempt) {
    const auto info = storage_.info(path);
    if (!info && info.error().code == Code::missing) return {};
    if (!info) return tl::unexpected(info.error());
    if (info->type != FileType::file) return unexpected_thing(path);
    const auto digest = storage_.digest(path);
    if (!digest) return tl::unexpected(digest.error());
    seen = *info;
    proved = *digest;
    if (may_leave(path, *info, *digest)) break;
    if (attempt == kTries)
      return fail(Trouble::stopped, Code::in_use,
                  fmt::format("{}: changes all the time", safe_text(path.string())),
                  "close the program that uses it, and try again");
    if (auto kept = keep_found(path); !kept) return kept;
  }
  auto out = storage_.take_out(path);
  if (!out) return tl::unexpected(out.error());
  // Whoever wrote between the proof and the removal wrote into this nameless file.
  const auto after = (*out)->info();
  if (!after) return tl::unexpected(after.error());
  const bool untouched = after->inode == seen.inode && after->size == seen.size &&
                         after->modified_ns == seen.modified_ns;
  const bool last_name = after->links == 0 && seen.links > 1;  // its twin went meanwhile
  if (untouched && !is_young(*after) && !last_name) return {};
  const auto digest = digest_of(**out, after->size);
  if (!digest) return tl::unexpected(digest.error());
  if (is_known(*digest) || after->links > 0 || (untouched && *digest == proved && !last_name))
    return {};
  auto transaction = Transaction::begin(history_.database());
  if (!transaction) return tl::unexpected(transaction.error());
  const auto kept = history_.keep_taken_out(**out);
  if (!kept) return tl::unexpected(kept.error());
  if (auto noted = note(path, {*kept, after->modified_ns, after->mode}); !noted) return noted;
  return transaction->commit();
}

Result<void> Door::take_out_tree(const Path& folder) {
  constexpr int kTries = 3;
  for (int attempt = 0;; ++attempt) {
    const auto entries = storage_.list(folder);
    if (!entries && entries.error().code == Code::missing) return {};
    if (!entries) return tl::unexpected(entries.error());
    Result<void> stays;
    for (const std::string& name : *entries) {
      const Path path = folder / name;
      const auto info = storage_.info(path);
      if (!info && info.error().code == Code::missing) continue;
      if (!info) return tl::unexpected(info.error());
      auto gone = info->type == FileType::folder ? take_out_tree(path) : take_out(path);
      if (!gone) stays = std::move(gone);
    }
    if (!stays) return stays;
    auto removed = storage_.remove_folder(folder);
    // Somebody may have put a file there since it was listed.
    if (removed || attempt == kTries) return removed;
  }
}

Result<void> Door::keep_found_tree(const Path& folder) {
  const auto entries = storage_.entries(folder);
  if (!entries) return tl::unexpected(entries.error());
  for (const auto& [name, info] : *entries) {
    Result<void> kept;
    if (info.type == FileType::folder) kept = keep_found_tree(folder / name);
    if (info.type == FileType::file) {
      const auto digest = storage_.digest(folder / name);
      if (!digest || !is_known(*digest)) kept = keep_found(folder / name);
    }
    if (!kept) return kept;
  }
  return {};
}

}  // namespace bayswap
