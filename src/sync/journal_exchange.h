// Journals read from a hub and kept here, and a device's own ones kept short there.
#pragma once

#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "hub/hub.h"
#include "sync/local_state.h"

namespace bayswap {

/// Names of files on the hub with entries that are not known yet, as far as a listing tells, and
/// the next entries of the known devices: a listing may lag behind. Whether those are there shows
/// only when they are asked for. This device's own next one is left out.
struct EntriesToAsk {
  std::vector<std::string> listed;
  std::vector<std::string> next;
};
[[nodiscard]] Result<EntriesToAsk> entries_to_ask(Hub& hub, const std::vector<std::string>& known,
                                                  const std::string& own);

/// Reads what is new on the hub and keeps it. What is damaged there goes to the notes. Errors:
/// `hub-failed`, those of the folder.
[[nodiscard]] Result<void> fetch_entries(Hub& hub, const StateFolder& folder,
                                         const LocalState& state, Findings& notes);

/// The bytes of all entries of a device that the hub has, by their names, unpacked; damaged ones
/// are left out. Errors: `hub-failed`.
[[nodiscard]] Result<std::map<std::string, Bytes>> entries_there(Hub& hub,
                                                                 const std::string& device);

/// Puts this device's entries that lie singly on the hub into bundles, as far as those are
/// complete. An entry is removed only when its bundle was read back. Errors: `hub-failed`.
[[nodiscard]] Result<void> bundle_entries(Hub& hub, const StateFolder& folder,
                                          const LocalState& state);

}  // namespace bayswap
