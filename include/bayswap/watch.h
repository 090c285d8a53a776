// Bays kept in step while one plays: a change is synced once the program that made it is quiet.
//
// Library bayswap_sync. watch() runs on the thread that calls it, until it is told to end.
#pragma once

#include <chrono>
#include <functional>
#include <optional>

#include "bayswap/sync.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Something that a person, or a program that listens, may want to know.
struct WatchEvent {
  enum class What {
    begun,    ///< it watches now
    synced,   ///< something was made known or carried, or what needs somebody changed: `report`
    waiting,  ///< a program still writes: `program`
    failed,   ///< the hub or a bay can't be reached: `error`; told once, and tried on
    back,     ///< it can be reached again
    ended,
  };
  What what = What::begun;
  SyncReport report;
  std::optional<Error> error;
  std::string program;
};

struct WatchRequest {
  SyncRequest sync;                       ///< which bays, states or not; `plan` and others not
  std::chrono::milliseconds quiet{2000};  ///< without a change before it is synced
  std::function<bool()> go_on;            ///< false: end; asked at least twice a second
  std::function<void(const WatchEvent&)> tell;
};

/// Watches the bays, and the hub by looking again: every 2 s while anything changed in the last ten
/// minutes, then less often, up to once a minute. Lost networks and media are waited for. Errors:
/// `usage`, `unknown-bay`, and `no-match` when no hub is joined and fewer than two bays are named.
[[nodiscard]] Result<void> watch(Session& session, const WatchRequest& request);

}  // namespace bayswap

#pragma GCC visibility pop
