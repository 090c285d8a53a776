// Which of the places that are like a known save is the save as it is now.
#pragma once

#include <optional>
#include <vector>

#include "core/states/save_search.h"

namespace bayswap {

/// A place in one of several runs of bytes.
struct LikeSave {
  ByteView where;
  Sighting place;
  bool ends_known = false;  ///< the state says that something of the save's size is just there
};

/// Whether this is a piece of the save that is cut off, with other bytes before or behind.
[[nodiscard]] bool is_cut(ByteView known, const LikeSave& like);

/// The one that can be nothing but the save, as its place in the list; nothing when none is enough
/// like it, when another one can be it as well, or when the bytes in which it differs stand
/// elsewhere: the save is then there in two pieces.
[[nodiscard]] std::optional<std::size_t> only_save(ByteView known,
                                                   const std::vector<LikeSave>& likes);

}  // namespace bayswap
