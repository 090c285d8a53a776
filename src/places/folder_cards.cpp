#include "places/folder_cards.h"

#include "bayswap/card.h"
#include "files/atomic_write.h"

namespace bayswap {

std::vector<Path> folder_card_saves(Storage& storage, const Path& folder) {
  static constexpr std::string_view kMarker = "icon.sys";
  std::vector<Path> folders;
  const auto entries = storage.entries(folder);
  if (!entries) return folders;
  for (const NamedInfo& entry : *entries)
    if (entry.info.type == FileType::folder && !is_missing(storage, folder / entry.name / kMarker))
      folders.push_back(folder / entry.name);
  return folders;
}

bool is_piece_of_folder_card(Storage& storage, const Path& file,
                             const std::vector<Guess>& guesses) {
  return !guesses.empty() && guesses.front().layout->info().system == System::ps2 &&
         as_card(guesses.front().layout) != nullptr &&
         !folder_card_saves(storage, file.parent_path()).empty();
}

}  // namespace bayswap
