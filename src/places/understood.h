// Places that the user names by a path: a bay that is known, or one that is understood on the spot,
// for this command only.
#pragma once

#include <optional>
#include <string>

#include "bayswap/session.h"

namespace bayswap {

struct UnderstoodPlace {
  std::string bay;        ///< its name in the session; of one that is not known, the path as typed
  bool known = false;     ///< one of the user's bays
  bool exact = false;     ///< the path is one save or card, imitated and replaced as a target
  std::string words;      ///< what was understood of one that is not known, for people
  std::string path;       ///< of the place; empty where it is known
  std::string roms = {};  ///< the folder elsewhere that has its ROMs; may be empty
};

/// A bay's name, or any path: a folder in a known bay means that bay, another folder is learned
/// now, and a file or folder that is a save is the exact place. Adds what is not known to the
/// session's bays, without writing it anywhere; pointers into their list are no longer valid then.
/// `rom`: of a game there; it may lie elsewhere, with the other ROMs. Errors: `unknown-bay` when it
/// is neither; `no-match`, with what was seen there, when nothing can be made of it; `unreadable`.
[[nodiscard]] Result<UnderstoodPlace> understand_place(Session& session, const std::string& text,
                                                       const std::optional<Path>& rom = {});

/// What a shelf says, in plain words: "gb saves in saves/, named after the ROMs in roms/gb".
[[nodiscard]] std::string words_of_shelf(const Shelf& shelf);

}  // namespace bayswap
