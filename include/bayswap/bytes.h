// Byte strings as the library passes them.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#pragma GCC visibility push(default)

namespace bayswap {

/// Owned bytes.
using Bytes = std::vector<std::byte>;

/// Bytes that somebody else owns; valid as long as the owner is.
using ByteView = std::span<const std::byte>;

}  // namespace bayswap

#pragma GCC visibility pop
