// Cards and single saves behind a header that nobody knows. Some programs and devices put one in
// front; what stands behind it proves itself by its marks and checks.
#pragma once

#include <optional>

#include "bayswap/layout.h"

namespace bayswap {

/// Where the body of a file lies; behind it may stand more that is not known.
struct BodyPlace {
  std::size_t header = 0;  ///< bytes in front of it
  std::size_t size = 0;    ///< bytes
};

/// The layout for files that have a card or a single save of this layout behind a header; null when
/// it is neither. Its reads skip the header, its writes keep it. It has the id of `inside`.
[[nodiscard]] const Layout* framed(const Layout& inside);

/// The layout that writes into an existing file: framed() where the body stands behind a header.
[[nodiscard]] const Layout& layout_into(const Layout& layout, ByteView existing);

/// Where a card (or, `singles`, a single save) stands behind a header of 64 bytes to 64 KiB; the
/// guess is that of framed(). Nothing when there is none that proves itself. `system`: the only one
/// that it can be of, where the game is known.
[[nodiscard]] std::optional<Guess> guess_behind_header(ByteView file, bool singles,
                                                       std::optional<System> system);

}  // namespace bayswap
