// A plain folder of files that say nothing of their game. What lies at the destination, and what
// the user says, tells where they belong.
#pragma once

#include <optional>

#include "moves/carry_source.h"
#include "reading/bay_scan.h"

namespace bayswap {

/// A folder of plain files (in an archive, too) as the save of a title of the destination: by the
/// title that the user names, by an id or a name in its path, by the catalog, or by how alike its
/// files are to those of one title's save there. Nothing when the destination keeps no title
/// folders, or the folder is empty. What could not be told is a problem of the source.
[[nodiscard]] Result<std::optional<Source>> read_plain_folder(Session& session, BayScan& to,
                                                              const Path& folder,
                                                              const CarryRequest& request);

}  // namespace bayswap
