// Programs that keep every game's save in a file of one size.
#pragma once

#include <cstdint>

#include "reading/bay_scan.h"

namespace bayswap {

/// The bytes of every file on a shelf, where the files are larger than the chips of their games; 0
/// where they are as large as their chips, or differ.
[[nodiscard]] std::uint64_t padded_size_on(BayScan& scan, const Shelf& shelf,
                                           const Catalog& catalog);

}  // namespace bayswap
