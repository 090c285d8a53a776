// What tells the versions of a file apart.
//
// Small contents go by their SHA-256. Larger ones are cut into pieces that end where a card's own
// blocks end, and go by the SHA-256 over their size and the SHA-256 of each piece: versions with
// most of their bytes in common need only what differs hashed again, and share the rest in history.
#pragma once

#include <cstdint>
#include <vector>

#include "core/bytes/hash.h"

namespace bayswap {

/// Contents of more bytes are cut into pieces.
inline constexpr std::size_t kWholeContent = 0x10000;

/// Bytes of a piece of a content of this size; the last one may be shorter.
[[nodiscard]] std::size_t piece_size(std::uint64_t size);
[[nodiscard]] std::size_t piece_count(std::size_t size);
[[nodiscard]] ByteView piece_of(ByteView content, std::size_t place);

/// Of every `each` bytes; the last piece may be shorter.
[[nodiscard]] std::vector<Digest> digests_of_pieces(ByteView content, std::size_t each);

struct ContentDigests {
  Digest whole{};
  std::vector<Digest> pieces;  ///< empty for contents that are not cut
};

[[nodiscard]] ContentDigests digests_of(ByteView content);
/// The same for a content that has most of its bytes in common with an older one.
[[nodiscard]] ContentDigests digests_of(ByteView content, ByteView older,
                                        const ContentDigests& of_older);

/// Only the digest of the whole.
[[nodiscard]] Digest version_digest(ByteView content);
/// The same from its size in bytes and the digests of its pieces.
[[nodiscard]] Digest version_digest(std::uint64_t size, const std::vector<Digest>& pieces);

/// The same for a content that comes bit by bit. Its size must be known.
class VersionHasher {
 public:
  explicit VersionHasher(std::uint64_t size);
  void add(ByteView bytes);
  [[nodiscard]] Digest finish();

 private:
  void end_piece();

  std::size_t each_;
  std::size_t filled_ = 0;  // bytes of the piece that is being added
  bool cut_;
  Hasher whole_;
  Hasher piece_;
};

}  // namespace bayswap
