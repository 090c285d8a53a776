// The tables of a history, and how an older one is brought forward.
#pragma once

#include "bayswap/result.h"
#include "bayswap/storage.h"
#include "history/sqlite.h"

namespace bayswap {

/// Makes the tables of a new history, and those of an older one as they are now. Errors:
/// `history-failed` when the file is not a database, or a newer one.
[[nodiscard]] Result<void> bring_forward(const Database& database, const Path& file);

/// Whether a program that only reads understands the tables.
[[nodiscard]] bool can_be_read(const Database& database);

/// Whether the tables say where moves happen.
[[nodiscard]] bool has_places(const Database& database);

}  // namespace bayswap
