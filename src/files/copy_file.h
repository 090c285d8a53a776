// A file of any size copied in bounded memory, proved and on the medium.
#pragma once

#include <functional>

#include "bayswap/storage.h"
#include "core/bytes/hash.h"

namespace bayswap {

/// As Storage::copy says. Each part is read, written, read back and compared, and hashed while it
/// lies in the processor's cache; two threads take the parts in turn.
[[nodiscard]] Result<Digest> copy_file(const Path& from, const Path& to, std::uint32_t mode,
                                       const CopyProgress& progress);

}  // namespace bayswap
