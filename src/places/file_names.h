// What a place's file system makes of names and times.
#pragma once

#include <string>

#include "bayswap/bay.h"

namespace bayswap {

/// What the place is: asked of the system, else tried with the names that are there. Writes
/// nothing.
[[nodiscard]] FileNames names_kept_by(Storage& storage, const Path& place);

/// A relative path with everything replaced by `_` that a FAT file system cannot hold.
[[nodiscard]] std::string fat_path(const std::string& relative);

/// The path as the place will know it: two that fold to one are one file there.
[[nodiscard]] std::string folded_path(FileNames names, const std::string& path);

/// How much later a file's time may seem than the one that was set, in nanoseconds.
[[nodiscard]] std::int64_t time_slack_ns(FileNames names);

}  // namespace bayswap
