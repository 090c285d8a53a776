// The one door by which bytes of the user's leave a place.
//
// Nothing else in Bay Swap removes a user's file or lets one be renamed over; a test looks for it
// (OneDoor.NothingElseTakesBytesAway).
#pragma once

#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "bayswap/storage.h"
#include "history/history.h"

namespace bayswap {

class Door {
 public:
  /// `finder`: the move for which files leave; named in history where something unknown is found.
  Door(Storage& storage, History& history, const MoveRecord& finder);

  /// Contents that this move staged itself: they may leave although history does not hold them.
  void know(const Digest& staged) { staged_.insert(staged); }

  /// What is found below `aside` goes into history under its name in `place`. What has the same
  /// bytes in `place` may leave `aside`.
  void call(const Path& aside, const Path& place) { names_.emplace_back(aside, place); }

  /// Takes a file out once it is proved that history holds exactly its bytes, or that this move
  /// staged them; what is neither is put into history first. Bytes that somebody writes at the very
  /// last moment are read from the nameless file and kept, too. Errors: `unexpected` for anything
  /// but a file; `unreadable`, `place-failed`, `history-failed`. Nothing at the path is fine.
  Result<void> take_out(const Path& path);

  /// The same for everything in a folder, and the folder. A link, device or file that cannot be
  /// kept stays, with the folders that it lies in, and is the error.
  Result<void> take_out_tree(const Path& folder);

  /// Puts what a file holds into history, as found on the way. It stays where it is.
  Result<void> keep_found(const Path& path);
  /// The same for every file below a folder.
  Result<void> keep_found_tree(const Path& folder);

  /// Names a version that the move replaced, where the move itself won't stand in history.
  Result<void> keep_before(const MoveRecord& move);

 private:
  [[nodiscard]] bool is_known(const Digest& digest) const;
  [[nodiscard]] std::optional<Path> twin_of(const Path& path) const;
  [[nodiscard]] bool may_leave(const Path& path, const FileInfo& info, const Digest& digest) const;
  [[nodiscard]] bool is_cut_short(const Path& path) const;
  Result<void> note(const Path& path, const FileVersion& version);

  Storage& storage_;
  History& history_;
  std::string move_;
  std::string bay_;
  std::string title_;
  std::set<Digest> staged_;
  std::vector<std::pair<Path, Path>> names_;
};

}  // namespace bayswap
