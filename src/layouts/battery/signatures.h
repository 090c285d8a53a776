// Structures inside chip images that prove what they are.
#pragma once

#include <optional>

#include "bayswap/layout.h"

namespace bayswap {

/// A verdict for chips that bear a structure of their own; nothing for all others. A chip that
/// should bear one and does not is only possible.
[[nodiscard]] std::optional<Match> judge_signature(System system, std::string_view part,
                                                   ByteView chip);

}  // namespace bayswap
