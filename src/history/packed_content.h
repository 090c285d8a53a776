// A content as history stores it. Made without the database, so that it can be made ahead and on
// another thread.
#pragma once

#include <cstdint>
#include <vector>

#include "bayswap/result.h"
#include "files/version_digest.h"

namespace bayswap {

struct PackedPiece {
  std::uint64_t size = 0;  ///< bytes before packing
  Bytes packed;
};

struct PackedContent {
  ContentDigests digests;
  std::uint64_t size = 0;  ///< bytes
  Bytes whole;             ///< of a content that is not cut
  std::vector<PackedPiece> pieces;
};

/// What can hardly be packed is packed with little effort.
[[nodiscard]] Result<Bytes> pack_whole(ByteView content);
[[nodiscard]] Result<PackedPiece> pack_piece(ByteView piece);
[[nodiscard]] Result<PackedContent> pack_content(ByteView content);

}  // namespace bayswap
