// The general compression around states, changed.
#pragma once

#include <optional>

#include "bayswap/reshape.h"

namespace bayswap {

/// Nothing when the request is not about states: `--as` or `--is` names no form of one.
[[nodiscard]] Result<std::optional<Reshaped>> reshape_state(Session& session,
                                                            const ReshapeRequest& request);

}  // namespace bayswap
