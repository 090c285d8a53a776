// The layouts that hold exactly one save chip: a body, possibly rearranged, and whatever a program
// put around it.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "bayswap/layout.h"

namespace bayswap {

/// How the chip's bytes stand in the file.
enum class Arrangement {
  plain,
  swap16,    ///< every 16-bit pair swapped
  swap32,    ///< every 32-bit word reversed
  reverse8,  ///< every 8-byte unit reversed
  odd,       ///< doubled: data at odd offsets, filler at even ones
  even,      ///< doubled: data at even offsets, filler at odd ones
  nibbles,   ///< two cells of a 4-bit chip in a byte, the even one in the low half
};

struct ChipSpec {
  std::string id;
  System system;
  std::string part;
  Arrangement arrangement;
  std::byte erased;                       ///< what blank storage of the chip holds
  std::vector<std::uint64_t> body_sizes;  ///< chip capacities in bytes, usual one first
  std::string summary;
  /// The orders in which this chip is found: reversed units in bytes, 1 for the chip's own.
  std::vector<std::size_t> orders;
  std::uint64_t usual_sizes = 0;  ///< larger chips than this are rare; 0: all sizes are usual
};

/// The bytes of a chip in the arrangement, and back. Doubled arrangements get `filler`. A chip of
/// 4-bit cells has a byte for each cell, whose high half does not count.
[[nodiscard]] Bytes arrange(ByteView chip, Arrangement arrangement, std::byte filler);
[[nodiscard]] Bytes straighten(ByteView stored, Arrangement arrangement);

class ChipLayout final : public Layout {
 public:
  explicit ChipLayout(ChipSpec spec);
  [[nodiscard]] const LayoutInfo& info() const override { return info_; }
  [[nodiscard]] std::optional<Match> recognise(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Content> read(ByteView file, const Hints& hints) const override;
  [[nodiscard]] Result<Written> write(const WriteRequest& request) const override;

 private:
  struct Frame;
  [[nodiscard]] std::optional<std::uint64_t> chip_in_larger(ByteView whole,
                                                            const Hints& hints) const;
  [[nodiscard]] std::optional<std::uint64_t> stored_size_of(ByteView whole,
                                                            const Hints& hints) const;
  [[nodiscard]] std::optional<Frame> frame_of(ByteView file, const Hints& hints) const;
  [[nodiscard]] Match by_order(Match match, ByteView body, const Hints& hints) const;
  [[nodiscard]] std::uint64_t size_for(const Part& part, const Hints& hints) const;

  ChipSpec spec_;
  std::vector<std::uint64_t> smallest_first_;  // the sizes of its chips
  LayoutInfo info_;
};

}  // namespace bayswap
