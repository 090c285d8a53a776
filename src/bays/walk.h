// Going through a folder without following links.
#pragma once

#include <functional>
#include <string_view>
#include <vector>

#include "bayswap/storage.h"

namespace bayswap {

struct WalkedFile {
  Path path;
  FileInfo info;
};

/// The regular files of a folder, and of all folders below it, in the order of names. Links,
/// unreadable folders and Bay Swap's own unfinished files are passed over. Two threads list.
[[nodiscard]] std::vector<WalkedFile> files_below(Storage& storage, const Path& folder,
                                                  bool below = true);

/// Calls `visit` for each of them.
void walk_files(Storage& storage, const Path& folder, bool below,
                const std::function<void(const Path&, const FileInfo&)>& visit);

/// The text of a file's folder, without the cost of a path of its own.
[[nodiscard]] std::string_view folder_text(const Path& file);

/// The part of a path below a folder that it begins with.
[[nodiscard]] std::string below(const Path& folder, const Path& path);
/// The same of their texts.
[[nodiscard]] std::string text_below(const std::string& folder, const std::string& path);

}  // namespace bayswap
