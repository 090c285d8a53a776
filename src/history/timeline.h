// What the journal says of a save over time.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "history/history.h"

namespace bayswap {

/// The files of a save at one time, by their absolute paths. A file without a digest was not there.
struct PastState {
  std::string id;
  std::int64_t time_ns = 0;
  std::string reason;
  std::map<std::string, FileVersion> files;
};

/// One save that history knows.
struct Timeline {
  Path root;  ///< its file, or its folder
  std::string bay;
  std::string title;
  std::string place;  ///< of the newest move, as MoveRecord says
  std::string place_id;
  std::vector<PastState> states;  ///< oldest first; states in which nothing was there are left out
};

/// All saves, by title and path.
[[nodiscard]] std::vector<Timeline> timelines_of(const std::vector<MoveRecord>& moves);

/// What a person calls a save in history. All empty: every save.
struct SaveInHistory {
  Path path;         ///< in full: a save, a file or folder of one, or a folder with several saves
  std::string bay;   ///< else the bay that it was in, when that was said
  std::string name;  ///< else a title, or a part of a file's name
};

/// Those that a person means. Errors: `no-match`.
[[nodiscard]] Result<std::vector<Timeline>> find_timelines(const History& history,
                                                           const SaveInHistory& save);

/// `v12` of a version before or after a step.
[[nodiscard]] std::string version_name(std::int64_t step, bool after);

}  // namespace bayswap
