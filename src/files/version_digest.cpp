#include "files/version_digest.h"

#include <algorithm>
#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"

namespace bayswap {
namespace {

constexpr std::size_t kPiece = 0x8000;
constexpr std::size_t kRawPage = 528;             // a page with its spare bytes
constexpr std::size_t kRawPiece = 64 * kRawPage;  // of cards that have them

void add_size(Hasher& hasher, std::uint64_t size) {
  std::array<std::byte, 8> bytes{};
  store_le(bytes, size);
  hasher.add(bytes);
}

}  // namespace

std::size_t piece_size(std::uint64_t size) {
  return size % kRawPage == 0 ? kRawPiece : kPiece;
}

std::size_t piece_count(std::size_t size) {
  return (size + piece_size(size) - 1) / piece_size(size);
}

ByteView piece_of(ByteView content, std::size_t place) {
  const std::size_t each = piece_size(content.size());
  return content.subspan(place * each, std::min(each, content.size() - place * each));
}

std::vector<Digest> digests_of_pieces(ByteView content, std::size_t each) {
  std::vector<Digest> digests;
  for (std::size_t at = 0; at < content.size(); at += each)
    digests.push_back(sha256(content.subspan(at, std::min(each, content.size() - at))));
  return digests;
}

ContentDigests digests_of(ByteView content) {
  return digests_of(content, {}, {});
}

ContentDigests digests_of(ByteView content, ByteView older, const ContentDigests& of_older) {
  ContentDigests digests;
  if (content.size() <= kWholeContent) {
    digests.whole = sha256(content);
    return digests;
  }
  const bool alike = older.size() == content.size();
  digests.pieces.resize(piece_count(content.size()));
  for (std::size_t i = 0; i < digests.pieces.size(); ++i) {
    const ByteView piece = piece_of(content, i);
    digests.pieces[i] =
        alike && same_bytes(piece, piece_of(older, i)) ? of_older.pieces.at(i) : sha256(piece);
  }
  digests.whole = version_digest(content.size(), digests.pieces);
  return digests;
}

Digest version_digest(ByteView content) {
  return digests_of(content).whole;
}

Digest version_digest(std::uint64_t size, const std::vector<Digest>& pieces) {
  Hasher hasher;
  add_size(hasher, size);
  for (const Digest& piece : pieces) hasher.add(piece);
  return hasher.finish();
}

VersionHasher::VersionHasher(std::uint64_t size)
    : each_(piece_size(size)), cut_(size > kWholeContent) {
  if (cut_) add_size(whole_, size);
}

void VersionHasher::add(ByteView bytes) {
  if (!cut_) {
    whole_.add(bytes);
    return;
  }
  if (filled_ == 0) {
    const std::vector<Digest> whole =
        digests_of_pieces(bytes.first(bytes.size() / each_ * each_), each_);
    for (const Digest& digest : whole) whole_.add(digest);
    bytes = bytes.subspan(whole.size() * each_);
  }
  while (!bytes.empty()) {
    const ByteView part = bytes.first(std::min(bytes.size(), each_ - filled_));
    piece_.add(part);
    filled_ += part.size();
    bytes = bytes.subspan(part.size());
    if (filled_ == each_) end_piece();
  }
}

void VersionHasher::end_piece() {
  whole_.add(piece_.finish());
  piece_ = Hasher();
  filled_ = 0;
}

Digest VersionHasher::finish() {
  if (cut_ && filled_ > 0) end_piece();
  return whole_.finish();
}

}  // namespace bayswap
