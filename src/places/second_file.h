// The second file of layouts that need two.
#pragma once

#include "bayswap/layout.h"
#include "bayswap/storage.h"

namespace bayswap {

/// Reads what lies beside a file under one of the names that layouts use: the file's name with the
/// suffix, or the suffix in place of its extension. Empty when there is nothing.
[[nodiscard]] Bytes read_second_file(Storage& storage, const Path& path);

/// Where the second file of a layout lies, or will lie, beside its first one.
[[nodiscard]] Path second_file_path(Storage& storage, const Path& first, const LayoutInfo& info);

/// Whether a file is called as second files are.
[[nodiscard]] bool is_second_file_name(const Path& path);

/// The file that this one is the companion of, when both are there; else empty.
[[nodiscard]] Path first_file_of(Storage& storage, const Path& path);

}  // namespace bayswap
