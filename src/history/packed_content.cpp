#include "history/packed_content.h"

#include <zstd.h>

#include <memory>
#include <span>

namespace bayswap {
namespace {

constexpr int kQuick = -1;
constexpr int kWhole = 3;
constexpr int kPiece = 1;
constexpr std::size_t kKeptRoom = std::size_t{4} << 20U;  // bytes

Result<std::size_t> pack_at(int level, ByteView content, std::span<std::byte> packed) {
  // Made once for each thread: for pieces of 32 KiB, making one takes as long as packing.
  thread_local const std::unique_ptr<ZSTD_CCtx, std::size_t (*)(ZSTD_CCtx*)> context(
      ZSTD_createCCtx(), ZSTD_freeCCtx);
  const std::size_t size = ZSTD_compressCCtx(context.get(), packed.data(), packed.size(),
                                             content.data(), content.size(), level);
  if (ZSTD_isError(size) != 0)
    return fail(Trouble::place, Code::history_failed, "the old version could not be compressed");
  return size;
}

Result<Bytes> packed_bytes(ByteView content, int level) {
  // Made once for each thread, too: clearing it takes half as long as packing.
  thread_local Bytes room;
  if (const std::size_t most = ZSTD_compressBound(content.size()); room.size() < most)
    room.resize(most);
  auto size = pack_at(kQuick, content, room);
  const bool hardly = size && *size > content.size() - content.size() / 16;
  if (size && !hardly) size = pack_at(level, content, room);
  if (!size) return tl::unexpected(size.error());
  Bytes packed(room.begin(), room.begin() + static_cast<std::ptrdiff_t>(*size));
  if (room.size() > kKeptRoom) room = {};
  return packed;
}

}  // namespace

Result<Bytes> pack_whole(ByteView content) {
  return packed_bytes(content, kWhole);
}

Result<PackedPiece> pack_piece(ByteView piece) {
  auto packed = packed_bytes(piece, kPiece);
  if (!packed) return tl::unexpected(packed.error());
  return PackedPiece{piece.size(), std::move(*packed)};
}

Result<PackedContent> pack_content(ByteView content) {
  PackedContent made{digests_of(content), content.size(), {}, {}};
  if (made.digests.pieces.empty()) {
    auto whole = pack_whole(content);
    if (!whole) return tl::unexpected(whole.error());
    made.whole = std::move(*whole);
    return made;
  }
  for (std::size_t i = 0; i < made.digests.pieces.size(); ++i) {
    auto piece = pack_piece(piece_of(content, i));
    if (!piece) return tl::unexpected(piece.error());
    made.pieces.push_back(std::move(*piece));
  }
  return made;
}

}  // namespace bayswap
