// States as they lie in bays and folders, with what names and ROMs tell of their games.
#pragma once

#include <string>

#include "places/inspect.h"

namespace bayswap {

/// The slot of a state: as its shelf reads it, else as its name tells.
[[nodiscard]] std::string slot_of(const Inspection& found);

/// What the states of one game are gathered under: the ROM's name, else the name without its slot.
[[nodiscard]] std::string stem_of_state(const Inspection& found);

/// The game's title for people.
[[nodiscard]] std::string title_of_state(const Inspection& found, const Catalog& catalog);

}  // namespace bayswap
