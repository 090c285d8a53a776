// A memory card that a program keeps as a folder: a folder for each save, and files of its own
// beside them.
#pragma once

#include <optional>

#include "bayswap/card.h"
#include "bayswap/session.h"

namespace bayswap {

struct FolderCard {
  const CardLayout* layout = nullptr;  ///< of the image
  Bytes image;                         ///< a card with all of its saves, so that it can be shown
};

/// Nothing when the folder holds no saves of one family of cards side by side. Errors: those of
/// reading; `no-room` when the saves fit on no card.
[[nodiscard]] Result<std::optional<FolderCard>> read_folder_card(Session& session,
                                                                 const Path& folder);

/// Takes away what programs keep beside a save's files: a text that lists all of them.
void drop_helper_files(std::vector<Part>& parts);

}  // namespace bayswap
