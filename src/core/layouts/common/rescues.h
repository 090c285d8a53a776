// What became of the saves of a damaged card.
#pragma once

#include <string>
#include <vector>

#include "bayswap/card.h"

namespace bayswap {

/// Lost ones go without their data; a save is whole when nothing had to be done. `doubtful`: some
/// of its blocks may be another save's.
[[nodiscard]] inline Rescue rescue_of(Save save, std::vector<std::string> what, bool lost,
                                      bool doubtful = false) {
  Rescue rescue;
  rescue.save = std::move(save);
  rescue.what = std::move(what);
  if (lost) rescue.save.parts.clear();
  rescue.state = lost                  ? RescueState::lost
                 : doubtful            ? RescueState::damaged
                 : rescue.what.empty() ? RescueState::whole
                                       : RescueState::repaired;
  return rescue;
}

}  // namespace bayswap
