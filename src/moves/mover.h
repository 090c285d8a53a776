// Changes to files that are journaled, staged beside, swapped in, read back and undone.
//
// A move has one or more units: a file, or a folder that is swapped as a whole. Each unit is staged
// beside its place, then the two swap names in one step where the system can, so that the old
// content waits beside the new one. It is looked at once more there, and leaves through the door
// (moves/door.h) only when everything is done. Whatever happens in between, the next run finds the
// old state, the new one, or what somebody else wrote; what somebody else wrote stays.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <vector>

#include "bayswap/storage.h"
#include "history/history.h"
#include "moves/door.h"

namespace bayswap {

/// What becomes of one file. Without `content`, `from` and `kept` it goes away.
struct FileChange {
  Path path;                     ///< absolute
  std::optional<Bytes> content;  ///< what it will hold
  std::optional<Path> from;      ///< instead: a large file that its bytes are copied from
  std::uint64_t from_begin = 0;  ///< bytes of that file to leave out at its beginning
  std::optional<Digest> kept;    ///< instead: a version that history holds
  std::optional<Digest> before;  ///< what the plan saw there; nothing: no file
  /// The bytes that the plan saw there, whose digests are `seen_digests`; null: they are read
  /// again.
  std::shared_ptr<const Bytes> seen;
  ContentDigests seen_digests;
  /// Whether history keeps the new content now. It is kept at the latest when it is replaced.
  bool keep_new = true;
  std::optional<std::uint32_t> mode;        ///< of a file that is new; nothing: as the user's are
  std::optional<std::int64_t> modified_ns;  ///< nothing: now

  [[nodiscard]] bool goes() const { return !content && !from && !kept; }
};

/// A folder that is staged beside its place and swapped in as a whole. Files that no change names
/// stay as they are.
struct FolderSwap {
  Path folder;  ///< absolute
  /// Files that the plan saw and no change names, by relative names.
  struct Seen {
    FileInfo info;
    std::optional<Digest> digest;  ///< where the plan has read it
  };
  std::map<std::string, Seen> seen;
  bool goes = false;           ///< nothing of the folder is left afterwards
  CopyProgress progress = {};  ///< bytes copied since it was told last
};

/// What is at a path now. Errors: `unreadable`; `link` when the path is not a plain file.
[[nodiscard]] Result<FileVersion> version_at(Storage& storage, const Path& path);

/// What a swap of a folder is to find in it again: every file below it. Errors: `unreadable`;
/// `link` for anything but files and folders.
[[nodiscard]] Result<std::map<std::string, FolderSwap::Seen>> files_seen(Storage& storage,
                                                                         const Path& folder);

/// What the names of a move's staged files and folders carry. The time is in it because numbers of
/// moves begin anew with a new history, and what an older one left must not be taken for ours.
[[nodiscard]] std::string tag_of(const MoveRecord& move);

/// The history, with what an interrupted run left settled first. The errors of History::open().
[[nodiscard]] Result<History> recovered_history(Storage& storage, const Path& file);

/// For those who only show: the same, or the history as it is where nothing can be written there.
[[nodiscard]] Result<History> history_to_show(Storage& storage, const Path& file);

/// Errors: `place-failed` when the place of a move is not there: renamed away, or its medium is
/// out.
[[nodiscard]] Result<void> check_place(Storage& storage, const MoveRecord& move);

/// A file or folder of a move, and what waits beside it.
struct Unit {
  Path place;
  Path aside;      ///< staged; after the swap what was there before
  Path old_aside;  ///< the same for a moment, where the system can't swap in one step
  bool folder = false;
  std::vector<const Step*> steps;
};

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

  /// Settles moves that an interrupted run left, one by one. Those that can't be settled now wait:
  /// History::waiting().
  Result<void> recover();

  /// Ends a waiting move as things are: what is there stays, and what it replaced is in history.
  Result<void> give_up(std::int64_t id);

 private:
  enum class Holds { before, after, neither, nothing };

  // mover.cpp
  Result<FileVersion> version_before(const FileChange& change);
  Result<FileVersion> version_seen(const FileChange& change);
  Result<void> check_free(const std::vector<FileChange>& changes);
  Result<void> keep_old(const FileChange& change, const FileVersion& before);
  Result<void> record(MoveRecord& move, const std::vector<FileChange>& changes,
                      const FolderSwap* swap);
  Result<Step> step_of(const FileChange& change);
  Result<Digest> keep_new(const FileChange& change);
  void note_missing_folders(MoveRecord& move, const std::vector<FileChange>& changes,
                            const FolderSwap* swap);
  void note_swap(MoveRecord& move, const FolderSwap& swap);
  Result<void> do_changes(MoveRecord& move, const std::vector<FileChange>& changes,
                          const FolderSwap* swap, std::vector<Unit>& done);
  Result<void> change_file(MoveRecord& move, const FileChange& change, std::size_t step,
                           std::vector<Unit>& done);
  Result<void> change_folder(MoveRecord& move, const std::vector<FileChange>& changes,
                             const FolderSwap& swap, std::vector<Unit>& done);
  Result<void> read_back(const MoveRecord& move, const std::vector<FileChange>& changes);
  Result<void> look_again(const FolderSwap& swap, const std::vector<FileChange>& changes,
                          const Path& waiting);
  [[nodiscard]] bool is_held(const Path& path);
  Result<MoveRecord> finish(MoveRecord move, Door& door);
  void note_folders(MoveRecord& move);
  void note_results(MoveRecord& move);

  // stage.cpp
  Result<void> stage_file(const FileChange& change, const Path& staged, Step& step,
                          const CopyProgress& progress);
  Result<void> stage_folder(const FolderSwap& swap, const std::vector<FileChange>& changes,
                            const Path& staged, MoveRecord& move);
  Result<void> keep_as_it_is(const Path& old, const Path& staged, const FolderSwap& swap);

  // recover.cpp
  Result<void> swap_names(const Unit& unit);
  Result<Holds> holds(const Unit& unit, const Path& root);
  Result<void> finish_unit(const MoveRecord& move, const Unit& unit, bool forward, Door& door);
  Result<void> take_back(const Unit& unit, bool forced);
  Result<void> put_back_lost(const MoveRecord& move, const Unit& unit);
  Result<void> clear_asides(const Unit& unit, Door& door);
  Result<void> roll_back(const MoveRecord& move, const std::vector<Unit>& units, bool forced);
  Result<void> recover_one(MoveRecord& move);
  void remove_made_folders(const MoveRecord& move);

  Storage& storage_;
  History& history_;
  bool allow_in_use_ = false;
  // Of this run: whether somebody else's bytes were found where ours should be.
  bool met_others_ = false;
  std::map<Path, FileInfo> staged_;  // what we wrote, as it lay before it was swapped in
};

/// The units of a recorded move.
[[nodiscard]] std::vector<Unit> units_of(Storage& storage, const MoveRecord& move);

}  // namespace bayswap
