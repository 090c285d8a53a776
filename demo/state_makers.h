// States of programs that do not exist, in forms of their own.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "bayswap/bytes.h"
#include "demo/art.h"

namespace bayswap::demo {

/// The ROM of Dune Semaphore: 4 KiB, and nothing in it says so.
[[nodiscard]] Bytes a2600_rom();

/// Memory of a machine that is running.
[[nodiscard]] Bytes state_memory(std::size_t size, std::uint32_t seed);

/// What the screen showed: a drawing, 160 by 120 pixels.
[[nodiscard]] Bytes screen_png(Art art);

/// A mark of eight letters, then sections: a tag of four letters, a u32le length, the data.
[[nodiscard]] Bytes sectioned_state(const std::string& mark,
                                    const std::vector<std::pair<std::string, Bytes>>& sections);

/// The same behind zlib.
[[nodiscard]] Bytes packed_state(const Bytes& state);

}  // namespace bayswap::demo
