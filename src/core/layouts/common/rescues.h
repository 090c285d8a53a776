// What became of the saves of a damaged card.
#pragma once

#include <string>
#include <vector>

#include "bayswap/card.h"

namespace bayswap {

/// What is not right about a save that was found.
struct Doubts {
  bool lost = false;  ///< its bytes are not there
  bool doubtful =
      false;  ///< some of its blocks may be another save's, or nothing tells whose it is
};

/// Lost ones go without their data; a save is whole when nothing had to be done.
[[nodiscard]] inline Rescue rescue_of(Save save, std::vector<std::string> what,
                                      const Doubts& doubts) {
  Rescue rescue;
  rescue.save = std::move(save);
  rescue.what = std::move(what);
  if (doubts.lost) rescue.save.parts.clear();
  rescue.state = doubts.lost           ? RescueState::lost
                 : doubts.doubtful     ? RescueState::damaged
                 : rescue.what.empty() ? RescueState::whole
                                       : RescueState::repaired;
  return rescue;
}

}  // namespace bayswap
