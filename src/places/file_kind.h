// What an ordinary file is, in plain words, from the system's own list of file types.
#pragma once

#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

/// A short description ("ISO 9660 CD-ROM filesystem data"); empty when the list does not know the
/// bytes, or is not there. Words for people only: random bytes look like some old format now and
/// then, so they speak neither for nor against a save. Any thread may call it.
[[nodiscard]] std::string describe_bytes(ByteView file);

}  // namespace bayswap
