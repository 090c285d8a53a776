// Where a name that a pattern built lies on a shelf.
#pragma once

#include "moves/carry_checks.h"

namespace bayswap {

/// The path below the bay, as its file system can hold it; a note says when that changed the name.
/// Errors: `link` when it leads out of the bay.
[[nodiscard]] Result<Path> shelf_path(const Bay& bay, const Shelf& shelf, const std::string& built,
                                      Checks& checks);

}  // namespace bayswap
