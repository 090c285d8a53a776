// What history keeps of files: small contents whole, large ones in pieces that versions share.
#include <zstd.h>

#include <algorithm>

#include "bytes/cursor.h"
#include "history/history.h"

namespace bayswap {
namespace {

constexpr int kCompression = 3;

constexpr int kPieceCompression = 1;
constexpr std::uint64_t kLargest = 1ULL << 36U;  // bytes of a version that can be believed

Result<Bytes> packed_bytes(ByteView content, int level) {
  Bytes packed(ZSTD_compressBound(content.size()));
  const std::size_t size =
      ZSTD_compress(packed.data(), packed.size(), content.data(), content.size(), level);
  if (ZSTD_isError(size) != 0)
    return fail(Trouble::place, "history-failed", "the old version could not be compressed");
  packed.resize(size);
  return packed;
}

}  // namespace

Result<Digest> History::keep(ByteView content) {
  const ContentDigests digests = digests_of(content);
  if (auto kept = keep_as(digests, content); !kept) return tl::unexpected(kept.error());
  return digests.whole;
}

Result<void> History::keep_as(const ContentDigests& digests, ByteView content,
                              const ContentDigests& older) {
  Statement known = database_.prepare("SELECT 1 FROM content WHERE digest = ?");
  known.bind(ByteView(digests.whole));
  if (known.step()) return {};
  Bytes packed;
  Bytes pieces;
  if (content.size() <= kWholeContent) {
    auto whole = packed_bytes(content, kCompression);
    if (!whole) return tl::unexpected(whole.error());
    packed = std::move(*whole);
  } else {
    auto ids = keep_pieces(digests, content, older);
    if (!ids) return tl::unexpected(ids.error());
    pieces = std::move(*ids);
  }
  return add_content(digests.whole, content.size(), packed, pieces);
}

Result<void> History::add_content(const Digest& digest, std::uint64_t size, ByteView packed,
                                  ByteView pieces) {
  Statement insert = database_.prepare(
      "INSERT OR IGNORE INTO content (digest, size, packed, pieces) VALUES (?, ?, ?, ?)");
  insert.bind(ByteView(digest)).bind(static_cast<std::int64_t>(size)).bind(packed);
  if (pieces.empty())
    insert.bind_null();
  else
    insert.bind(pieces);
  return insert.run();
}

Result<Digest> History::keep_file(Storage& storage, const Path& path) {
  const auto info = storage.info(path);
  if (!info) return tl::unexpected(info.error());
  if (info->size <= kWholeContent) {
    const auto bytes = storage.read(path, kWholeContent);
    if (!bytes) return tl::unexpected(bytes.error());
    return keep(*bytes);
  }
  std::vector<Digest> digests;
  Bytes ids;
  std::uint64_t size = 0;
  Result<void> outcome;
  const auto read = storage.stream(path, piece_size(info->size), [&](ByteView piece) {
    digests.push_back(sha256(piece));
    size += piece.size();
    const auto id = keep_piece(digests.back(), piece);
    if (!id) {
      outcome = tl::unexpected(id.error());
      return false;
    }
    ids.resize(ids.size() + 8);
    store_le(std::span(ids).last(8), static_cast<std::uint64_t>(*id));
    return true;
  });
  if (!read) return tl::unexpected(read.error());
  if (!outcome) return tl::unexpected(outcome.error());
  const Digest digest = version_digest(size, digests);
  if (auto added = add_content(digest, size, {}, ids); !added) return tl::unexpected(added.error());
  return digest;
}

Result<Bytes> History::keep_pieces(const ContentDigests& digests, ByteView content,
                                   const ContentDigests& older) {
  std::vector<std::int64_t> shared;
  if (older.pieces.size() == digests.pieces.size()) {
    Statement select = database_.prepare("SELECT pieces FROM content WHERE digest = ?");
    select.bind(ByteView(older.whole));
    if (select.step()) shared = parse_ids(select.blob(0));
  }
  Bytes ids(digests.pieces.size() * 8);
  for (std::size_t i = 0; i < digests.pieces.size(); ++i) {
    std::int64_t id = 0;
    if (i < shared.size() && digests.pieces[i] == older.pieces[i]) {
      id = shared[i];
    } else {
      auto kept = keep_piece(digests.pieces[i], piece_of(content, i));
      if (!kept) return tl::unexpected(kept.error());
      id = *kept;
    }
    store_le(std::span(ids).subspan(i * 8, 8), static_cast<std::uint64_t>(id));
  }
  return ids;
}

Result<std::int64_t> History::keep_piece(const Digest& digest, ByteView piece) {
  Statement select = database_.prepare("SELECT id FROM piece WHERE digest = ?");
  select.bind(ByteView(digest));
  if (select.step()) return select.integer(0);
  const auto packed = packed_bytes(piece, kPieceCompression);
  if (!packed) return tl::unexpected(packed.error());
  Statement insert = database_.prepare("INSERT INTO piece (digest, size, packed) VALUES (?, ?, ?)");
  insert.bind(ByteView(digest))
      .bind(static_cast<std::int64_t>(piece.size()))
      .bind(ByteView(*packed));
  if (auto done = insert.run(); !done) return tl::unexpected(done.error());
  return database_.last_row();
}

Result<void> History::append_piece(std::int64_t id, Bytes& bytes, std::size_t limit) const {
  Statement select = database_.prepare("SELECT size, packed FROM piece WHERE id = ?");
  select.bind(id);
  if (!select.step()) return damaged_history("a piece of a version is missing from the history");
  const std::int64_t size = select.integer(0);
  const std::size_t start = bytes.size();
  if (size <= 0 || static_cast<std::uint64_t>(size) > limit - std::min(limit, start))
    return damaged_history("a piece of a version in the history has an impossible size");
  const Bytes packed = select.blob(1);
  bytes.resize(start + static_cast<std::size_t>(size));
  const std::size_t got = ZSTD_decompress(bytes.data() + start, static_cast<std::size_t>(size),
                                          packed.data(), packed.size());
  if (got != static_cast<std::size_t>(size))
    return damaged_history("a piece of a version in the history is damaged");
  return {};
}

Result<Bytes> History::content(const Digest& digest) const {
  Statement select = database_.prepare("SELECT size, packed, pieces FROM content WHERE digest = ?");
  select.bind(ByteView(digest));
  if (!select.step()) return damaged_history("a version is missing from the history");
  const std::int64_t size = select.integer(0);
  if (size < 0 || static_cast<std::uint64_t>(size) > kLargest)
    return damaged_history("a version in the history has an impossible size");
  const auto whole = static_cast<std::size_t>(size);
  Bytes bytes;
  const Bytes pieces = select.blob(2);
  if (pieces.empty()) {
    const Bytes packed = select.blob(1);
    bytes.resize(whole);
    const std::size_t got = ZSTD_decompress(bytes.data(), whole, packed.data(), packed.size());
    if (got != whole) return damaged_history("a version in the history is damaged");
  } else {
    bytes.reserve(whole);
    for (const std::int64_t id : parse_ids(pieces))
      if (auto appended = append_piece(id, bytes, whole); !appended)
        return tl::unexpected(appended.error());
  }
  if (version_digest(bytes) != digest)
    return damaged_history("a version in the history is damaged");
  return bytes;
}

}  // namespace bayswap
