// Which process has a file open.
#pragma once

#include <string>

#include "bayswap/storage.h"

namespace bayswap {

/// `NAME (process NUMBER)` of a process that has the file open for writing; `another program` when
/// one does but cannot be named. Empty when nobody does, or the system does not tell.
[[nodiscard]] std::string writer_of_file(const Path& path);

}  // namespace bayswap
