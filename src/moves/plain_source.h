// Files that say nothing of their game: a plain folder, or one file of a title's folder. What lies
// at the destination, and what the user says, tells where they belong.
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

/// One file as a part of the one title's save at the destination that has a file of its name.
/// Nothing when none has. Errors: `many-match` when several have, and the request does not say
/// which.
[[nodiscard]] Result<std::optional<Source>> read_file_of_folder(Session& session, BayScan& to,
                                                                const Path& file,
                                                                const CarryRequest& request);

}  // namespace bayswap
