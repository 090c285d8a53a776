// Files replaced in one step.
#pragma once

#include <string_view>

#include "bayswap/storage.h"

namespace bayswap {

/// Makes the folder and what is missing above it. Gives the folders that were made, outermost
/// first.
[[nodiscard]] Result<std::vector<Path>> make_folders(Storage& storage, const Path& folder);

/// Writes beside the path, flushes, and renames over it.
[[nodiscard]] Result<void> replace_file(Storage& storage, const Path& path, ByteView bytes);

/// The name beside `path` that a write under `tag` uses until it is complete.
[[nodiscard]] Path beside(const Path& path, const std::string& tag);

/// The folders below a folder, parents first. Links are passed over.
[[nodiscard]] std::vector<Path> folders_below(Storage& storage, const Path& folder);

/// Removes a folder with everything in it; links are removed, not followed.
[[nodiscard]] Result<void> remove_tree(Storage& storage, const Path& folder);

/// The path, or with a number behind it where something is there.
[[nodiscard]] Path free_name(Storage& storage, const std::string& path);

/// Whether a path is the folder or lies somewhere in it, by their names alone.
[[nodiscard]] bool lies_in(const Path& folder, const Path& path);
/// The same of their texts.
[[nodiscard]] bool text_lies_in(std::string_view folder, std::string_view path);

/// `name-taken`: an output that is not to be overwritten is there.
[[nodiscard]] Error output_exists(const Path& path);

/// `in-use`: the file is not what it was when the plan was made.
[[nodiscard]] Error place_changed(const Path& path);

/// `read-back`: what a file holds is not what was written to it.
[[nodiscard]] Error read_differently(const Path& path);

}  // namespace bayswap
