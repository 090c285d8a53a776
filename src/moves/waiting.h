// Moves of earlier runs that can't be settled now, and where a move happens.
#pragma once

#include <string>

#include "bayswap/session.h"
#include "history/history.h"

namespace bayswap {

/// Tells the user through Session::notes which moves wait, and what for.
void report_waiting(Session& session, const History& history);

/// The folder that must be there for a change at this path: the bay's root where the path lies in a
/// known bay, else the folder of the file.
[[nodiscard]] std::string place_of(const Session& session, const Path& path);

}  // namespace bayswap
