// Files inside archives, read in memory with limits.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/result.h"

namespace bayswap {

/// What an archive may cost: more entries are not looked at, longer ones are cut.
struct ArchiveLimits {
  std::size_t entries = 256;
  std::size_t entry_bytes = 34U << 20U;  ///< the largest gba ROM, with room
  /// Of all entries together, besides twenty times the size of the archive.
  std::uint64_t free_bytes = 64U << 20U;
};

/// True when the bytes begin as a zip archive.
[[nodiscard]] bool is_zip(ByteView file);

/// Calls `visit` with the name, the beginning and the full size of each plain file, until it gives
/// true. Damaged archives end early. False when the check of a file that was visited whole fails.
bool visit_zip(ByteView file, const ArchiveLimits& limits,
               const std::function<bool(const std::string&, ByteView, std::uint64_t)>& visit);

struct ArchiveEntry {
  std::string name;  ///< relative, with `/` between folders; never leads out of its folder
  Bytes bytes;
  std::int64_t modified_ns = 0;
};

/// True when the bytes begin as a zip, 7z, rar or tar archive, a tar also behind general
/// compression.
[[nodiscard]] bool is_archive(ByteView file);

/// All plain files in an archive. Links and names that lead out of their folder are passed over.
/// Errors: `too-large` for more entries, bytes or compression than any collection of saves has;
/// `damaged`; `locked` when it wants a password. `name` is for messages;
/// `most_bytes`: what its files may unpack to, all together.
[[nodiscard]] Result<std::vector<ArchiveEntry>> read_archive(ByteView file, const std::string& name,
                                                             std::uint64_t most_bytes);

}  // namespace bayswap
