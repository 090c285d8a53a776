// What layouts of one card save have in common.
#pragma once

#include <string>

#include "bayswap/layout.h"

namespace bayswap {

/// The one save that a single-save layout can write. Errors: `no-match` for none or another
/// system, `many-match` for several, with their names.
[[nodiscard]] Result<const Save*> only_save(const WriteRequest& request, const LayoutInfo& info);

/// A name for a save whose file does not tell one: the file's, without its extension, at most
/// `length` printable letters.
[[nodiscard]] std::string name_from_file(const Hints& hints, std::size_t length);

}  // namespace bayswap
