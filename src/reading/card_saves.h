// Saves of cards outside of cards: single files and folders, read and written.
#pragma once

#include <string>
#include <vector>

#include "bayswap/card.h"
#include "bayswap/session.h"
#include "places/folder_parts.h"

namespace bayswap {

struct CardSaves {
  std::vector<Save> saves;
  std::string layout;
  Findings findings;
  std::int64_t modified_ns = 0;
  /// What a folder's own files say about the save, names and values.
  std::vector<std::pair<std::string, std::string>> details;
};

/// The saves in a file, a folder, a card, or the one that `CARD:NAME` names. Errors: `missing`,
/// `no-match` when it holds no card save, `many-match`.
[[nodiscard]] Result<CardSaves> read_card_saves(Session& session, const std::string& text,
                                                const std::string& is, Hold hold = Hold::all);

/// All single saves in an archive, or in a folder that is not a save itself. Errors: `no-match`
/// when it holds none, and those of reading.
[[nodiscard]] Result<CardSaves> read_saves_among(Session& session, const Path& place,
                                                 const std::string& is);

/// A file, or all files of a folder under its name, as they are: what a package holds.
[[nodiscard]] Result<std::vector<Save>> read_plain_files(Session& session, const std::string& text,
                                                         System system);

/// One save written as a file or folder.
struct SaveFiles {
  std::vector<std::pair<Path, Bytes>> files;
  Path shown;  ///< the file, or the folder
  std::string layout;
  Findings losses;
  Findings notes;
};

/// Plans the file or folder `where` for a save. `where` names the folder of a folder layout.
[[nodiscard]] Result<SaveFiles> plan_save(const Layout& layout, const Save& save,
                                          const Path& where);

}  // namespace bayswap
