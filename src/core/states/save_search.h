// Where a known save lies in a larger run of bytes, though some of it has changed since.
#pragma once

#include <cstddef>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

/// A run that is compared as a whole, in bytes.
inline constexpr std::size_t kSearchRun = 8;

/// Bytes that stand in many places, and tell nothing of a save.
[[nodiscard]] constexpr bool is_filler(std::byte value) {
  return value == std::byte{0x00} || value == std::byte{0xFF};
}

/// A place where bytes are like a known save.
struct Sighting {
  std::size_t offset = 0;  ///< in bytes
  std::size_t unit = 1;    ///< 1: in the save's own order; 2, 4 or 8: every so many bytes reversed
  std::size_t runs_agree = 0;
  std::size_t runs = 0;   ///< of kSearchRun bytes each, all of the save
  std::size_t agree = 0;  ///< bytes
  std::size_t telling_agree = 0;
  std::size_t telling = 0;  ///< bytes of the save that are not filler

  bool operator==(const Sighting&) const = default;
};

/// Places that are like the save, best first, in all byte orders. Runs of the save are looked for
/// everywhere, each one found votes for an offset, and what has votes is compared as a whole. Uses
/// two threads and less than 48 MiB.
[[nodiscard]] std::vector<Sighting> find_like(ByteView where, ByteView known);

/// How much of the save agrees at one place.
[[nodiscard]] Sighting compare_at(ByteView where, ByteView known, std::size_t offset,
                                  std::size_t unit);

/// Whether the bytes where a place disagrees with the save stand elsewhere, all shifted alike: the
/// save is then there in two pieces, and the place is not all of it.
[[nodiscard]] bool stands_elsewhere(ByteView where, ByteView known, const Sighting& place);

/// The bytes there, in the save's own order.
[[nodiscard]] Bytes bytes_there(ByteView where, std::size_t size, const Sighting& place);

}  // namespace bayswap
