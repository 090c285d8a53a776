// Files that a command writes where the user says: as a move, so that what they replace is in
// history and undo() takes them back.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/session.h"

namespace bayswap {

struct OutFile {
  Path path;
  Bytes bytes;
  /// Instead: a large file that the bytes are taken from, and how many of its first ones are not.
  std::optional<Path> from = {};
  std::uint64_t from_begin = 0;
};

struct OutputKind {
  std::string command;  ///< `reshape`, `card take` …
  std::string source;   ///< for people
  std::string title;
  bool replace = false;  ///< existing files may be overwritten
  /// A page or picture about saves: history has nothing to keep of it, and undo passes over it.
  bool report = false;
};

/// Writes all of them or none; of a report, those before one that fails. Gives the name of the
/// move; empty when nothing was overwritten and it is a report, or the history can't be written.
/// Errors: `name-taken` without `replace`; those of Mover::apply().
[[nodiscard]] Result<std::string> write_outputs(Session& session, const OutputKind& kind,
                                                std::vector<OutFile> files);

}  // namespace bayswap
