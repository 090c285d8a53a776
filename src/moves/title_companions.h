// Shared files that a title needs and that lie elsewhere in the tree.
#pragma once

#include <optional>
#include <vector>

#include "moves/carry_source.h"
#include "moves/mover.h"

namespace bayswap {

struct CompanionFile {
  Path from;
  Path to;
  std::optional<FileChange> change;  ///< nothing: it is left as it is
  Finding note;
};

/// What the catalog says a title needs besides its own folder.
[[nodiscard]] Result<std::vector<CompanionFile>> make_companions(Session& session, const Bay& bay,
                                                                 const Source& source,
                                                                 const Path& title);

/// What all accounts of the title share, where it lies beside the save's folder and the destination
/// has none of it. `folder`: the save's place there.
[[nodiscard]] Result<std::vector<CompanionFile>> make_shared_files(Session& session,
                                                                   const Source& source,
                                                                   const Path& folder);

}  // namespace bayswap
