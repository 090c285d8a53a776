// Checksums that field maps describe.
#pragma once

#include "core/fields/field_map.h"

namespace bayswap::fields {

/// The number that the checksum of the bytes is, cut to its width.
[[nodiscard]] std::uint64_t sum_of(const Checksum& sum, ByteView bytes);

}  // namespace bayswap::fields
