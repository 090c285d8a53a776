// What history keeps of files: small contents whole, large ones in pieces that versions share.
#include <zstd.h>

#include <algorithm>
#include <map>
#include <memory>

#include "core/bytes/cursor.h"
#include "files/two_threads.h"
#include "history/history.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargest = 1ULL << 36U;  // bytes of a version that can be believed

constexpr std::uint64_t kLargestPiece = 1ULL << 24U;  // bytes

constexpr std::size_t kPiecesAtOnce = 128;

void append_ids(Bytes& ids, std::span<const std::int64_t> more) {
  for (const std::int64_t id : more) {
    ids.resize(ids.size() + 8);
    store_le(std::span(ids).last(8), static_cast<std::uint64_t>(id));
  }
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
  if (content.size() <= kWholeContent) {
    const auto packed = pack_whole(content);
    if (!packed) return tl::unexpected(packed.error());
    return add_content(digests.whole, content.size(), *packed, {});
  }
  const auto ids = keep_pieces(digests, content, older);
  if (!ids) return tl::unexpected(ids.error());
  return add_content(digests.whole, content.size(), {}, *ids);
}

Result<Digest> History::keep(PackedContent content) {
  Statement known = database_.prepare("SELECT 1 FROM content WHERE digest = ?");
  known.bind(ByteView(content.digests.whole));
  if (known.step()) return content.digests.whole;
  Bytes ids;
  if (!content.digests.pieces.empty()) {
    const auto kept =
        keep_all_pieces(content.digests.pieces, [&](std::span<const std::size_t> missing) {
          std::vector<PackedPiece> packed;
          for (const std::size_t i : missing) packed.push_back(std::move(content.pieces[i]));
          return Result<std::vector<PackedPiece>>(std::move(packed));
        });
    if (!kept) return tl::unexpected(kept.error());
    append_ids(ids, *kept);
  }
  if (auto added = add_content(content.digests.whole, content.size, content.whole, ids); !added)
    return tl::unexpected(added.error());
  return content.digests.whole;
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
  return keep_stream(info->size, [&](std::size_t piece, const std::function<bool(ByteView)>& take) {
    return storage.stream(path, piece, take);
  });
}

Result<Digest> History::keep_taken_out(TakenOut& file) {
  const auto info = file.info();
  if (!info) return tl::unexpected(info.error());
  return keep_stream(info->size, [&](std::size_t piece, const std::function<bool(ByteView)>& take) {
    return file.stream(piece, take);
  });
}

// `size` says how the content is cut; what is read counts.
Result<Digest> History::keep_stream(std::uint64_t size, const ReadPieces& read) {
  if (size <= kWholeContent) {
    Bytes bytes;
    const auto done = read(kWholeContent, [&](ByteView piece) {
      bytes.insert(bytes.end(), piece.begin(), piece.end());
      return bytes.size() <= kSaveLimit;
    });
    if (!done) return tl::unexpected(done.error());
    return keep(bytes);
  }
  std::vector<Digest> digests;
  Bytes ids;
  std::uint64_t kept_size = 0;
  Result<void> outcome;
  const std::size_t each = piece_size(size);
  const auto done = read(each * kPiecesAtOnce, [&](ByteView bytes) {
    std::vector<ByteView> pieces;
    for (std::size_t at = 0; at < bytes.size(); at += each)
      pieces.push_back(bytes.subspan(at, std::min(each, bytes.size() - at)));
    const std::vector<Digest> made = digests_of_pieces(bytes, each);
    const auto kept = keep_all_pieces(made, pieces);
    if (!kept) {
      outcome = tl::unexpected(kept.error());
      return false;
    }
    digests.insert(digests.end(), made.begin(), made.end());
    kept_size += bytes.size();
    append_ids(ids, *kept);
    return true;
  });
  if (!done) return tl::unexpected(done.error());
  if (!outcome) return tl::unexpected(outcome.error());
  if (piece_size(kept_size) != each || kept_size <= kWholeContent)
    return fail(Trouble::stopped, Code::in_use, "a file changed its size while it was read",
                "close the program that uses it, and try again");
  const Digest digest = version_digest(kept_size, digests);
  if (auto added = add_content(digest, kept_size, {}, ids); !added)
    return tl::unexpected(added.error());
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
  std::vector<std::int64_t> all(digests.pieces.size());
  std::vector<std::size_t> places;
  std::vector<Digest> fresh;
  std::vector<ByteView> pieces;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (i < shared.size() && digests.pieces[i] == older.pieces[i]) {
      all[i] = shared[i];
      continue;
    }
    places.push_back(i);
    fresh.push_back(digests.pieces[i]);
    pieces.push_back(piece_of(content, i));
  }
  const auto kept = keep_all_pieces(fresh, pieces);
  if (!kept) return tl::unexpected(kept.error());
  for (std::size_t i = 0; i < places.size(); ++i) all[places[i]] = (*kept)[i];
  Bytes ids;
  append_ids(ids, all);
  return ids;
}

Result<std::vector<std::int64_t>> History::keep_all_pieces(std::span<const Digest> digests,
                                                           std::span<const ByteView> pieces) {
  return keep_all_pieces(digests, [&](std::span<const std::size_t> missing) {
    std::vector<Result<PackedPiece>> packed(missing.size());
    on_two_threads(missing.size(),
                   [&](std::size_t i) { packed[i] = pack_piece(pieces[missing[i]]); });
    std::vector<PackedPiece> fine;
    for (Result<PackedPiece>& piece : packed) {
      if (!piece) return Result<std::vector<PackedPiece>>(tl::unexpected(piece.error()));
      fine.push_back(std::move(*piece));
    }
    return Result<std::vector<PackedPiece>>(std::move(fine));
  });
}

Result<std::vector<std::int64_t>> History::keep_all_pieces(std::span<const Digest> digests,
                                                           const PackPieces& pack) {
  if (!find_piece_) find_piece_ = database_.prepare("SELECT id FROM piece WHERE digest = ?");
  if (!add_piece_)
    add_piece_ = database_.prepare("INSERT INTO piece (digest, size, packed) VALUES (?, ?, ?)");
  std::vector<std::int64_t> ids(digests.size());
  std::map<Digest, std::size_t> first;  // one piece can stand several times
  std::vector<std::size_t> missing;
  for (std::size_t i = 0; i < digests.size(); ++i) {
    if (find_piece_->again().bind(ByteView(digests[i])).step())
      ids[i] = find_piece_->integer(0);
    else if (find_piece_->failed())
      return tl::unexpected(find_piece_->error());
    else if (first.try_emplace(digests[i], i).second)
      missing.push_back(i);
  }
  find_piece_->again();
  const auto packed = pack(missing);
  if (!packed) return tl::unexpected(packed.error());
  for (std::size_t i = 0; i < missing.size(); ++i) {
    const PackedPiece& piece = (*packed)[i];
    add_piece_->again()
        .bind(ByteView(digests[missing[i]]))
        .bind(static_cast<std::int64_t>(piece.size))
        .bind_lasting(piece.packed);
    if (auto done = add_piece_->run(); !done) return tl::unexpected(done.error());
    ids[missing[i]] = database_.last_row();
  }
  add_piece_->again();
  for (std::size_t i = 0; i < ids.size(); ++i)
    if (ids[i] == 0) ids[i] = ids[first.at(digests[i])];
  return ids;
}

Result<void> History::unpack_piece(std::int64_t id, std::uint64_t limit, Bytes& into) const {
  Statement select = database_.prepare("SELECT size, packed FROM piece WHERE id = ?");
  select.bind(id);
  if (!select.step()) return damaged_history("a piece of a version is missing from the history");
  const std::int64_t size = select.integer(0);
  if (size <= 0 || static_cast<std::uint64_t>(size) > std::min<std::uint64_t>(limit, kLargestPiece))
    return damaged_history("a piece of a version in the history has an impossible size");
  const Bytes packed = select.blob(1);
  into.resize(static_cast<std::size_t>(size));
  const std::size_t got = ZSTD_decompress(into.data(), into.size(), packed.data(), packed.size());
  if (got != into.size()) return damaged_history("a piece of a version in the history is damaged");
  return {};
}

namespace {

// Unpacks step by step, so that a size that is claimed and not there costs nothing.
Result<void> unpack_whole(ByteView packed, std::uint64_t size,
                          const std::function<bool(ByteView)>& take) {
  const std::unique_ptr<ZSTD_DCtx, std::size_t (*)(ZSTD_DCtx*)> context(ZSTD_createDCtx(),
                                                                        ZSTD_freeDCtx);
  Bytes room(ZSTD_DStreamOutSize());
  ZSTD_inBuffer in{packed.data(), packed.size(), 0};
  std::uint64_t done = 0;
  while (true) {
    ZSTD_outBuffer out{room.data(), room.size(), 0};
    const std::size_t left = ZSTD_decompressStream(context.get(), &out, &in);
    done += out.pos;
    if (ZSTD_isError(left) != 0 || done > size)
      return damaged_history("a version in the history is damaged");
    if (out.pos > 0 && !take(ByteView(room).first(out.pos))) return {};
    if (left == 0 || (out.pos == 0 && in.pos == in.size)) break;
  }
  if (done != size) return damaged_history("a version in the history is damaged");
  return {};
}

}  // namespace

Result<void> History::content_to(const Digest& digest, const ByteSink& sink) const {
  Statement select = database_.prepare("SELECT size, packed, pieces FROM content WHERE digest = ?");
  select.bind(ByteView(digest));
  if (!select.step()) {
    if (select.failed()) return tl::unexpected(select.error());
    return fail(Trouble::stopped, Code::tidied_away,
                "this version was tidied away from the history",
                "newer versions may still be there; the history lists them");
  }
  const std::int64_t size = select.integer(0);
  if (size < 0 || static_cast<std::uint64_t>(size) > kLargest)
    return damaged_history("a version in the history has an impossible size");
  const auto whole = static_cast<std::uint64_t>(size);
  VersionHasher hasher(whole);
  bool written = true;
  const auto take = [&](ByteView bytes) {
    hasher.add(bytes);
    written = sink(bytes);
    return written;
  };
  const auto not_written = [] {
    return fail(Trouble::place, Code::place_failed, "a version from history could not be written",
                "");
  };
  const auto ids = parse_ids(select.blob(2));
  if (ids.empty()) {
    if (auto done = unpack_whole(select.blob(1), whole, take); !done) return done;
    if (!written) return not_written();
  }
  std::uint64_t done = 0;
  Bytes piece;
  for (const std::int64_t id : ids) {
    if (auto unpacked = unpack_piece(id, whole - done, piece); !unpacked) return unpacked;
    done += piece.size();
    if (!take(piece)) return not_written();
  }
  if ((!ids.empty() && done != whole) || hasher.finish() != digest)
    return damaged_history("a version in the history is damaged");
  return {};
}

Result<Bytes> History::content(const Digest& digest) const {
  Bytes bytes;
  bool fits = true;
  const auto done = content_to(digest, [&](ByteView piece) {
    fits = piece.size() <= kSaveLimit - bytes.size();
    if (fits) bytes.insert(bytes.end(), piece.begin(), piece.end());
    return fits;
  });
  if (!fits)
    return fail(Trouble::input, Code::too_large, "a version is too large to be held in memory", "");
  if (!done) return tl::unexpected(done.error());
  return bytes;
}

}  // namespace bayswap
