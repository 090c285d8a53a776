// Orders in which programs and chips store the same bytes.
#pragma once

#include <cstddef>
#include <span>

#include "bayswap/bytes.h"

namespace bayswap {

/// Reverses every run of `unit` bytes (2, 4 or 8) in place. A shorter run at the end stays.
void reverse_units(std::span<std::byte> data, std::size_t unit);

}  // namespace bayswap
