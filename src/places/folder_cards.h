// Memory cards that programs keep as folders: a folder for each save, and pieces of a card beside.
#pragma once

#include <vector>

#include "bayswap/layout.h"
#include "bayswap/storage.h"

namespace bayswap {

/// The folders in a folder that are saves of a memory card, which a program keeps as that folder.
[[nodiscard]] std::vector<Path> folder_card_saves(Storage& storage, const Path& folder);
/// Whether a file that looks like a card is a piece of one that is kept as the folder around it.
[[nodiscard]] bool is_piece_of_folder_card(Storage& storage, const Path& file,
                                           const std::vector<Guess>& guesses);

}  // namespace bayswap
