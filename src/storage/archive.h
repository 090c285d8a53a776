// Files inside archives, read in memory with limits.
#pragma once

#include <functional>
#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

/// What an archive may cost: more entries are not looked at, longer ones are cut.
struct ArchiveLimits {
  std::size_t entries = 256;
  std::size_t entry_bytes = 34U << 20U;  ///< the largest gba ROM, with room
};

/// True when the bytes begin as a zip archive.
[[nodiscard]] bool is_zip(ByteView file);

/// Calls `visit` with the name, the beginning and the full size of each plain file, until it gives
/// true. Damaged archives end early.
void visit_zip(ByteView file, const ArchiveLimits& limits,
               const std::function<bool(const std::string&, ByteView, std::uint64_t)>& visit);

}  // namespace bayswap
