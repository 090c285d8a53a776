// What all places of a card's save have in common.
#pragma once

#include "bayswap/naming.h"
#include "moves/target.h"

namespace bayswap {

/// What a shelf's pattern can name a card's save by.
[[nodiscard]] Fields card_save_fields(const Save& save);

/// The name of the file that a save comes from, without its extension; may be empty.
[[nodiscard]] std::string source_stem(const Source& source);

/// The save on its way to a file of this layout and size in bytes, which is read back and has to
/// hold it.
[[nodiscard]] PlacedUnit card_unit(const MoveReport& line, const Source& source, const Path& path,
                                   const Layout& layout, std::uint64_t size);

/// A placement that is one unit.
[[nodiscard]] std::optional<Placement> one_unit(PlacedUnit unit);

}  // namespace bayswap
