// Files replaced in one step.
#pragma once

#include <array>
#include <cstdint>
#include <string_view>

#include "bayswap/storage.h"

namespace bayswap {

/// Makes the folder and what is missing above it. Gives the folders that were made, outermost
/// first.
[[nodiscard]] Result<std::vector<Path>> make_folders(Storage& storage, const Path& folder);

/// The same, for folders that only the user may look into.
[[nodiscard]] Result<std::vector<Path>> make_private_folders(Storage& storage, const Path& folder);

/// Replaces a file of Bay Swap's own (settings, what is worked out again) in one step, readable by
/// its user only. Through a link, the file behind it is replaced. Never for a user's save.
[[nodiscard]] Result<void> replace_own_file(Storage& storage, const Path& path, ByteView bytes);

/// Makes a new file with the bytes of another one but the first `begin`. Gives the digest that
/// tells its versions apart.
[[nodiscard]] Result<std::array<std::byte, 32>> copy_end(Storage& storage, const Path& from,
                                                         std::uint64_t begin, const Path& to,
                                                         std::uint32_t mode);

/// The name beside `path` that a write under `tag` uses until it is complete.
[[nodiscard]] Path beside(const Path& path, const std::string& tag);

/// The path, or with a number behind it where something is there.
[[nodiscard]] Path free_name(Storage& storage, const std::string& path);

/// Whether a path is the folder or lies somewhere in it, by their names alone.
[[nodiscard]] bool lies_in(const Path& folder, const Path& path);
/// The same of their texts.
[[nodiscard]] bool text_lies_in(std::string_view folder, std::string_view path);

/// `name-taken`: an output that is not to be overwritten is there.
[[nodiscard]] Error output_exists(const Path& path);

/// `cancelled`: whoever was told of a copy asked for its end.
[[nodiscard]] Error copy_cancelled(const Path& path);

/// `exists`: a new name is taken.
[[nodiscard]] tl::unexpected<Error> name_exists(const Path& path);

/// `in-use`: the file is not what it was when the plan was made.
[[nodiscard]] Error place_changed(const Path& path);

/// `read-back`: what a file holds is not what was written to it.
[[nodiscard]] Error read_differently(const Path& path);

}  // namespace bayswap
