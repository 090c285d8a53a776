// The save states in a place, by game and slot.
//
// Library bayswap_reading. Calls use a session: one thread at a time for each session.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "bayswap/session.h"
#include "bayswap/state.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// One filled slot.
struct StateSlot {
  std::string slot;
  Path path;
  std::uint64_t size = 0;        ///< bytes of the file
  std::int64_t modified_ns = 0;  ///< since 1970
  StateInfo info;
  Findings findings;
};

/// The slots of one game.
struct SlotBoard {
  std::string title;
  std::optional<System> system;
  std::vector<StateSlot> slots;  ///< by number
};

/// The states in a bay, in a folder and below it, or in one file; by game. Errors: `missing`,
/// `no-match` when there are none.
[[nodiscard]] Result<std::vector<SlotBoard>> list_states(Session& session,
                                                         const std::string& place);

}  // namespace bayswap

#pragma GCC visibility pop
