// The pages of a ps2 card, with or without their spare bytes.
#pragma once

#include <cstdint>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap::ps2 {

/// A card's plain bytes.
struct Pages {
  Bytes plain;
  bool with_spare = false;   ///< the file has 16 spare bytes behind every page
  std::uint64_t held = 0;    ///< plain bytes that the file has; the rest of `plain` is zero
  std::uint32_t mended = 0;  ///< pages in which the code mended a bit
  std::vector<bool> broken;  ///< pages that the code cannot mend; empty without spare bytes
  std::uint32_t broken_count = 0;
  std::vector<bool> zeroed;  ///< pages that are zero with their code; empty without spare bytes

  /// Whether a page of the cluster is broken.
  [[nodiscard]] bool is_broken(std::uint64_t cluster) const;
  /// Whether the whole erase block of the cluster is zero with its code, as if never written.
  [[nodiscard]] bool is_zeroed(std::uint64_t cluster) const;
};

/// Whether the file has spare bytes behind its pages, by its size or by its first page's code.
[[nodiscard]] bool has_spare(ByteView file);

/// The pages of a file, each checked against its code.
[[nodiscard]] Pages read_pages(ByteView file);

/// Whether the file has spare bytes and every page agrees with its code: then its plain bytes can
/// be read where they lie.
[[nodiscard]] bool all_sound(ByteView file);

/// The file for plain bytes. Pages that are the same as in `before`, which must be of the same
/// form to matter, keep their spare bytes.
[[nodiscard]] Bytes write_pages(Bytes plain, bool with_spare, ByteView before);

}  // namespace bayswap::ps2
