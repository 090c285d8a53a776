// Saves that were gathered elsewhere, carried like those that a user names.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "moves/carry_source.h"

namespace bayswap {

/// Where saves were there is something; an empty folder is where a medium was. Errors:
/// `place-failed`.
[[nodiscard]] Result<void> check_bay_is_there(Session& session, const Bay& bay);

struct CarriedSources {
  CarryReport report;
  std::vector<std::size_t> first_line;  ///< of each source that was begun, in report.moves
};

/// Carries the sources to the bay, one after the other, with all checks, history and undo. Of the
/// request `plan`, `accept` and `wait_seconds` count. `words` is what history calls the command,
/// and `command` its id: 0 begins one, so that several calls can be undone as one. Errors: those of
/// carry() about the place.
[[nodiscard]] Result<CarriedSources> carry_sources(Session& session, const CarryRequest& request,
                                                   const Bay& bay,
                                                   const std::vector<Source>& sources,
                                                   const std::string& words, std::int64_t& command);

}  // namespace bayswap
