// Changes to files that are journaled, written beside, flushed, renamed over, read back and undone.
#pragma once

#include <functional>
#include <future>
#include <memory>
#include <optional>
#include <vector>

#include "bayswap/storage.h"
#include "history/history.h"

namespace bayswap {

struct FileChange {
  Path path;                     ///< absolute
  std::optional<Bytes> content;  ///< nothing: the file goes away
  std::optional<Digest> before;  ///< what the plan saw there; nothing: no file
  /// The bytes that the plan saw there, whose digest is `before`; null: they are read again.
  std::shared_ptr<const Bytes> seen;
  ContentDigests seen_digests;
  /// Of `content`, when someone works them out already.
  std::shared_future<ContentDigests> content_digests;
  /// Of a file in a swapped folder that is too large to be held: where its bytes are copied from.
  /// `content` is then empty, and history keeps only their digest.
  std::optional<Path> from;
  bool large = false;  ///< what is there is too large to be held
  std::uint32_t mode = 0644;
  std::optional<std::int64_t> modified_ns;  ///< nothing: now
};

/// A folder that is staged beside its place and swapped in as a whole.
struct FolderSwap {
  Path folder;  ///< absolute
  struct File {
    std::string name;  ///< relative
    Bytes bytes;
    std::optional<Path> from;  ///< instead of `bytes`, for a large file
  };
  std::vector<File> files;                      ///< all that it holds afterwards
  std::function<void(std::uint64_t)> progress;  ///< bytes copied since it was told last
};

/// What is at a path now. Errors: `unreadable`; `link` when the path is no plain file.
[[nodiscard]] Result<FileVersion> version_at(Storage& storage, const Path& path);

/// What the names of a move's staged files and folders carry. The time is in it because numbers of
/// moves begin anew with a new history, and what an older one left must not be taken for ours.
[[nodiscard]] std::string tag_of(const MoveRecord& move);

/// The history, with what an interrupted run left settled first. The errors of History::open().
[[nodiscard]] Result<History> settled_history(Storage& storage, const Path& file);

class Mover {
 public:
  Mover(Storage& storage, History& history) : storage_(storage), history_(history) {}

  /// Does all changes or none. `verify` looks at the result before the move counts as done.
  /// Errors: `in-use` when a file is not what the plan saw, `place-failed`, `read-back`.
  /// `swap`: the changes below its folder happen by swapping it; the others one by one.
  Result<MoveRecord> apply(MoveRecord move, const std::vector<FileChange>& changes,
                           const std::function<Result<void>()>& verify,
                           const FolderSwap* swap = nullptr);

  /// Lets files be replaced that a program holds open; the user said so.
  void allow_in_use() { allow_in_use_ = true; }

  /// Finishes or rolls back moves that an interrupted run left.
  Result<void> recover();

 private:
  Result<FileVersion> version_before(const FileChange& change);
  Result<FileVersion> version_seen(const FileChange& change);
  Result<void> record(MoveRecord& move, const std::vector<FileChange>& changes,
                      const FolderSwap* swap);
  Result<void> stage_beside(const FileChange& change, std::uint32_t mode, const Path& temporary);
  Result<void> write(const FileChange& change, Step& step, const Path& temporary);
  Result<void> read_back(const MoveRecord& move, const std::vector<FileChange>& changes);
  Result<void> put_back(const MoveRecord& move);
  Result<void> stage(const FolderSwap& swap, const std::vector<FileChange>& changes,
                     const Path& staged, MoveRecord& move);
  Result<void> stage_file(const FolderSwap& swap, const FolderSwap::File& file,
                          const std::vector<FileChange>& changes, const Path& staged,
                          MoveRecord& move);
  Result<void> swap_in(const FolderSwap& swap, const std::vector<FileChange>& changes,
                       MoveRecord& move);
  Result<void> settle_swap(const MoveRecord& move, bool complete);
  void note_folders(MoveRecord& move);
  void note_results(MoveRecord& move);

  Storage& storage_;
  History& history_;
  std::vector<ReplacedFile> replaced_;
  bool allow_in_use_ = false;
};

}  // namespace bayswap
