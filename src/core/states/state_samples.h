// A few runs of a state's content, and where they stand: two states of one program keep the same
// things in the same places.
#pragma once

#include <vector>

#include "bayswap/state.h"

namespace bayswap {

/// The same runs are chosen from any content that has them. At most 1,024, by hash.
[[nodiscard]] std::vector<StateSample> samples_of(ByteView content);

struct SharedSamples {
  std::size_t shared = 0;    ///< runs that both have
  std::size_t in_place = 0;  ///< of them, in the same place
  std::size_t together = 0;  ///< the most that are moved by the same number of bytes
};
[[nodiscard]] SharedSamples shared_samples(const std::vector<StateSample>& a,
                                           const std::vector<StateSample>& b);

}  // namespace bayswap
