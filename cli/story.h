// The story that `bayswap demo` tells: real commands on the demo world, with what a person thinks.
#pragma once

#include <string>
#include <vector>

#include "bayswap/storage.h"
#include "cli/tool.h"

namespace bayswap::cli {

/// Which scenes are told; nothing chosen: those that show most.
struct StoryChoice {
  bool all = false;
  std::string scene;  ///< one of scenes_of_story()
};

[[nodiscard]] std::vector<std::string> scenes_of_story();

/// Gives 0 when every scene ended as the story says. Scenes that come before one that is told are
/// done, too.
int tell_story(const Path& folder, const StoryChoice& choice, const Surroundings& surroundings);

}  // namespace bayswap::cli
