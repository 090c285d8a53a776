// The folders in a tree that are saves.
#pragma once

#include <vector>

#include "bayswap/folder.h"
#include "bayswap/storage.h"
#include "places/walk.h"

namespace bayswap {

struct FoundFolder {
  Path path;
  const FolderLayout* layout = nullptr;
  FolderPlace place;  ///< what the path says; empty when a file in the folder told
};

/// Saves that are folders of their own kind, by their paths or by a file in them, in the order of
/// paths. Folders inside of such a folder belong to it.
[[nodiscard]] std::vector<FoundFolder> find_folders(Storage& storage, const Path& root);
/// The same, where the files below are known.
[[nodiscard]] std::vector<FoundFolder> find_folders(Storage& storage, const Path& root,
                                                    const std::vector<WalkedFile>& files);

/// The folder itself, when it is one.
[[nodiscard]] std::optional<FoundFolder> folder_at(Storage& storage, const Path& folder);

/// Fills in a title that stands in a file near the save (`meta/meta.xml` of wiiu titles).
void add_title_beside(Storage& storage, const Path& folder, Save& save);

/// The save in it. Errors: those of FolderLayout::read_folder().
[[nodiscard]] Result<Save> read_found(Storage& storage, const FoundFolder& found);

}  // namespace bayswap
