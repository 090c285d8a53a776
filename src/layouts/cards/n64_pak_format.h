// Facts of the controller pak's file system that its readers share.
#pragma once

#include "bayswap/bytes.h"

namespace bayswap {

inline constexpr std::size_t kPakSize = 0x8000;

/// One of the four id blocks of page 0 holds with its check.
[[nodiscard]] bool pak_has_id(ByteView pak);

/// A formatted pak without notes.
[[nodiscard]] bool pak_is_empty(ByteView pak);

/// The number of note slots in use. The pak must be whole.
[[nodiscard]] std::size_t pak_notes(ByteView pak);

}  // namespace bayswap
