// Saves that are folders, to be carried.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "moves/carry_source.h"
#include "reading/bay_scan.h"

namespace bayswap {

/// The saves in a folder that is one, or a title's folder, or holds several. Nothing when there is
/// none. Shared files of a title are no save of their own.
[[nodiscard]] Result<std::optional<std::vector<Source>>> read_folder_sources(
    Session& session, const std::string& text, const CarryRequest& request);

/// The save in a title's folder that keeps it by account or in several copies, or in a folder below
/// that: the newest, or the one that the request names. Nothing when the folder is none.
[[nodiscard]] Result<std::optional<std::vector<Source>>> read_tree_at(Session& session,
                                                                      RomFolders& folders,
                                                                      const Path& folder,
                                                                      const CarryRequest& request);

/// The saves on the shelves of a bay that hold folders.
/// Of named copies the newest of each title, or the one that the request names.
[[nodiscard]] std::vector<Source> read_shelf_folders(Session& session, BayScan& scan,
                                                     const CarryRequest& request);

/// The time of the newest file in a folder, in nanoseconds since 1970; 0 when there is none.
[[nodiscard]] std::int64_t newest_below(Storage& storage, const Path& folder);

}  // namespace bayswap
