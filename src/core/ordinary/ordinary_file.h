// Ordinary files: what lies beside saves in real folders and is none. A picture, a manual or an
// archive can have the size of a chip, so the marks of such formats speak against a save.
#pragma once

#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

/// What the file is, in plain words ("a PNG picture", "text"); empty when nothing is told by it.
/// Only marks that random bytes do not bear by chance count: at least four bytes, or fewer with a
/// structure behind them that holds. A whole file is wanted, or at least its first 4 KiB.
[[nodiscard]] std::string ordinary_file(ByteView file);

/// Whether the words of ordinary_file() name a general compression or a zip, which a save state may
/// be packed in.
[[nodiscard]] bool is_packed_form(ByteView file);

}  // namespace bayswap
