#include "moves/outputs.h"

#include <fmt/core.h>

#include <algorithm>
#include <system_error>

#include "files/atomic_write.h"
#include "files/full_path.h"
#include "moves/mover.h"
#include "moves/waiting.h"

namespace bayswap {
namespace {

// Without a history: only what is new, and what cannot be completed goes again.
Result<void> write_new(Storage& storage, const std::vector<FileChange>& changes) {
  for (const FileChange& change : changes) {
    if (auto made = make_folders(storage, change.path.parent_path()); !made)
      return tl::unexpected(made.error());
    constexpr std::uint32_t kMode = 0666;
    auto made = change.content
                    ? storage.create(change.path, *change.content, kMode)
                    : copy_end(storage, *change.from, change.from_begin, change.path, kMode)
                          .map([](const auto&) {});
    if (!made) return made;
    if (auto flushed = storage.flush_folder(change.path.parent_path()); !flushed) return flushed;
  }
  return {};
}

}  // namespace

Result<std::string> write_outputs(Session& session, const OutputKind& kind,
                                  std::vector<OutFile> files) {
  Storage& storage = *session.storage;
  std::vector<FileChange> changes;
  bool replaces = false;
  for (OutFile& file : files) {
    if (!kind.replace && !is_missing(storage, file.path))
      return tl::unexpected(output_exists(file.path));
    FileChange change;
    change.path = full_path(file.path);
    const auto there = version_at(storage, change.path);
    if (!there) return tl::unexpected(there.error());
    change.before = there->digest;
    change.keep_new = false;
    if (file.from) {
      change.from = full_path(*file.from);
      change.from_begin = file.from_begin;
    } else {
      change.content = std::move(file.bytes);
    }
    replaces = replaces || change.before;
    changes.push_back(std::move(change));
  }
  if (kind.report && !replaces)
    return write_new(storage, changes).map([] { return std::string(); });
  auto history = recovered_history(storage, session.history_file());
  if (!history) {
    if (replaces || history.error().trouble != Trouble::place)
      return tl::unexpected(history.error());
    if (auto written = write_new(storage, changes); !written)
      return tl::unexpected(written.error());
    return std::string();
  }
  report_waiting(session, *history);
  MoveRecord move;
  move.kind = kind.command;
  move.source = kind.source;
  move.title = kind.title;
  auto done =
      Mover(storage, *history).apply(std::move(move), changes, [] { return Result<void>{}; });
  if (!done) return tl::unexpected(done.error());
  return move_name(done->id);
}

}  // namespace bayswap
