// Saves as objects on a hub, and back.
#pragma once

#include "core/sync/save_version.h"
#include "hub/hub.h"
#include "moves/carry_source.h"
#include "sync/local_saves.h"

namespace bayswap {

/// The version that a save of a bay would be. Its content is not put anywhere.
[[nodiscard]] SaveVersion version_of(const LocalUnit& unit);
/// Puts the content of a save on the hub. Errors: `hub-failed`.
[[nodiscard]] Result<void> put_content(Hub& hub, const Save& save);
/// Puts those of its objects there again that are wanted and can't be read. Errors: `hub-failed`.
[[nodiscard]] Result<void> put_wanted(Hub& hub, const Save& save, const std::set<Digest>& wanted);
/// The save of a version. Errors: `hub-failed`; `hub-damaged` when its content is not there as it
/// has to be.
[[nodiscard]] Result<Save> content_of(Hub& hub, const SaveVersion& version);
/// All objects that a version refers to.
[[nodiscard]] std::vector<Digest> objects_of(const SaveVersion& version);

}  // namespace bayswap
