// The story that `bayswap demo` tells: real commands on the demo world, with what a person thinks.
#pragma once

#include "bayswap/storage.h"
#include "cli/tool.h"

namespace bayswap::cli {

/// Gives 0 when every scene ended as the story says.
int tell_story(const Path& folder, const Surroundings& surroundings);

}  // namespace bayswap::cli
