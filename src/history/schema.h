// The tables of a history, and how an older one is brought forward.
#pragma once

#include "bayswap/result.h"
#include "bayswap/storage.h"
#include "history/sqlite.h"

namespace bayswap {

/// Makes the tables of a new history, and those of an older one as they are now. Errors:
/// `history-failed` for a database that is none, or a newer one.
[[nodiscard]] Result<void> bring_forward(const Database& database, const Path& file);

/// Whether the tables are as this program knows them.
[[nodiscard]] bool is_current(const Database& database);

}  // namespace bayswap
