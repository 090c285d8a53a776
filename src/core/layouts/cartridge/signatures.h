// Structures inside chip images that prove what they are.
#pragma once

#include <string_view>

#include "bayswap/layout.h"

namespace bayswap {

/// True for chips that bear a structure of their own.
[[nodiscard]] bool bears_signature(System system, std::string_view part);

/// The verdict for such a chip. One without its structure is only possible.
[[nodiscard]] Match judge_signature(System system, ByteView chip);

/// Formatted, and by its own count without saves.
[[nodiscard]] bool is_formatted_and_empty(System system, ByteView chip);

/// What such a chip says of the saves inside, where they cannot be listed.
[[nodiscard]] std::optional<Finding> judge_contents(System system, ByteView chip);

}  // namespace bayswap
