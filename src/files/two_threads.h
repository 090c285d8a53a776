// Work that is done by two threads.
#pragma once

#include <cstddef>
#include <functional>

namespace bayswap {

/// Calls `work` once for each number below `count`. Each thread takes the next number that is left,
/// so that heavy ones that stand together do no harm. Throws what the work threw.
void on_two_threads(std::size_t count, const std::function<void(std::size_t)>& work);

}  // namespace bayswap
