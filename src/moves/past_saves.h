// Saves that history knows, by what a user types.
#pragma once

#include <string>
#include <vector>

#include "bayswap/session.h"
#include "history/timeline.h"

namespace bayswap {

/// A path, `BAY:NAME`, a title or a part of a file's name; empty: every save. Errors: `no-match`.
[[nodiscard]] Result<std::vector<Timeline>> find_past_saves(Session& session,
                                                            const History& history,
                                                            const std::string& text);

}  // namespace bayswap
