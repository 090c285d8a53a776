// Converting saves of memory cards, and cards as a whole.
#pragma once

#include <optional>

#include "bayswap/reshape.h"

namespace bayswap {

/// Nothing when the request is not about saves of cards.
[[nodiscard]] Result<std::optional<Reshaped>> reshape_card(Session& session,
                                                           const ReshapeRequest& request);

}  // namespace bayswap
