// Ordinary files: what lies beside saves in real folders and is none. A picture, a manual or an
// archive can have the size of a chip, so the marks of such formats speak against a save.
#pragma once

#include <string>

#include "bayswap/bytes.h"

namespace bayswap {

struct OrdinaryFile {
  std::string words;  ///< "a PNG picture", "text"; empty when nothing is told
  bool sure = false;  ///< text, or a mark of four bytes or more
};

/// What the file is, in plain words. Only marks that random bytes do not bear by chance count: at
/// least four bytes, or fewer with a structure behind them that holds. A whole file is wanted, or
/// at least its first 4 KiB.
[[nodiscard]] OrdinaryFile ordinary_file(ByteView file);

}  // namespace bayswap
