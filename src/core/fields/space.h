// Bytes that are stored in other bytes: joined, with their blocks moved about, and masked.
#pragma once

#include <memory>
#include <vector>

#include "bayswap/bytes.h"
#include "core/fields/field_map.h"

namespace bayswap::fields {

struct Space {
  Bytes bytes;
  std::shared_ptr<Space> parent;  ///< that it is stored in; null for the part itself
  struct Piece {
    std::uint64_t at = 0;  ///< in the parent
    std::uint64_t size = 0;
  };
  std::vector<Piece> pieces;         ///< joined
  std::uint64_t block = 0;           ///< bytes; 0: no blocks
  std::vector<std::uint64_t> order;  ///< for each place there the block that stands in it
  std::uint64_t mask = 0;
  unsigned mask_bytes = 0;  ///< 0: none
  std::endian mask_order = std::endian::little;

  /// Reads `bytes` from the parent. The pieces have to lie in it, and the blocks to fill them.
  void read();
  /// Puts bytes there, and into the parents.
  void write(std::uint64_t at, ByteView content);

 private:
  [[nodiscard]] Bytes stored() const;
};

}  // namespace bayswap::fields
