// How everything below a folder looks: names, sizes and times, in one pass and checked in another.
#pragma once

#include "bayswap/storage.h"

namespace bayswap {

/// Empty where it cannot be taken, or where something changed so recently that another change in
/// the same tick of the clock would not show.
[[nodiscard]] Bytes stamp_of_tree(const Path& root, bool coarse_times);

/// Whether everything is as it was. Stats each file once, on two threads.
[[nodiscard]] bool tree_is_as(const Path& root, ByteView stamp);

}  // namespace bayswap
