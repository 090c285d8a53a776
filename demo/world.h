// The demo world: invented games in invented places, the same bytes every time.
#pragma once

#include <string>

#include "bayswap/result.h"
#include "bayswap/storage.h"

namespace bayswap::demo {

/// Builds the flat's `den`, the `ferry` handheld, the `reader` and a `downloads` folder below
/// `folder`, and a catalog in places(folder).
[[nodiscard]] Result<void> build_world(const Path& folder);

/// Where Bay Swap keeps its own files in a demo world, away from the user's.
[[nodiscard]] Places places(const Path& folder);

/// What an evening of play does to a container: new progress in the SRAM, and a new time.
[[nodiscard]] Result<void> play_evening(const Path& container);

/// Where the same keeps the files of one device, of several around a hub.
[[nodiscard]] Places places_of_device(const Path& folder, const std::string& device);
/// A trip with Tin Orchard on the ferry: new progress in the same file, made at a later time.
[[nodiscard]] Result<void> play_trip(const Path& save);
/// The battery is empty: erased bytes where progress was.
[[nodiscard]] Result<void> empty_battery(const Path& save);

}  // namespace bayswap::demo
