// What history does to stay sound and small.
#include <fmt/core.h>
#include <zstd.h>

#include "history/history.h"

namespace bayswap {
namespace {

struct Piece {
  Digest digest{};
  std::uint64_t size = 0;
  bool sound = false;
};

Piece checked_piece(const Statement& row) {
  constexpr std::uint64_t kMost = 1U << 20U;  // bytes; pieces are far smaller
  Piece piece;
  const auto digest = digest_at(row, 1);
  piece.size = static_cast<std::uint64_t>(row.integer(2));
  if (!digest || piece.size == 0 || piece.size > kMost) return piece;
  piece.digest = *digest;
  const Bytes packed = row.blob(3);
  Bytes bytes(static_cast<std::size_t>(piece.size));
  const std::size_t got = ZSTD_decompress(bytes.data(), bytes.size(), packed.data(), packed.size());
  piece.sound = got == bytes.size() && sha256(bytes) == piece.digest;
  return piece;
}

}  // namespace

std::optional<std::uint64_t> History::size_of(const Digest& digest) const {
  Statement select = database_.prepare("SELECT size FROM content WHERE digest = ?");
  if (!select.bind(ByteView(digest)).step()) return std::nullopt;
  return static_cast<std::uint64_t>(select.integer(0));
}

Result<History::Checked> History::check_contents(Progress* progress) const {
  Checked checked;
  std::unordered_map<std::int64_t, Piece> pieces;
  Statement rows = database_.prepare("SELECT id, digest, size, packed FROM piece");
  while (rows.step()) pieces.emplace(rows.integer(0), checked_piece(rows));
  if (rows.failed()) return tl::unexpected(rows.error());
  checked.pieces = pieces.size();
  Statement contents = database_.prepare("SELECT digest, size, pieces FROM content");
  while (contents.step()) {
    if (progress != nullptr && !progress->report(Work::versions, checked.contents, 0))
      return fail(Trouble::stopped, Code::cancelled, "stopped, as you asked",
                  "nothing was changed; check again when there is time");
    ++checked.contents;
    const Digest digest = digest_at(contents, 0).value_or(Digest{});
    const auto ids = parse_ids(contents.blob(2));
    bool sound = !ids.empty() || content(digest).has_value();
    std::vector<Digest> digests;
    for (const std::int64_t id : ids) {
      const auto piece = pieces.find(id);
      sound = sound && piece != pieces.end() && piece->second.sound;
      if (sound) digests.push_back(piece->second.digest);
    }
    const auto size = static_cast<std::uint64_t>(contents.integer(1));
    if (sound && !ids.empty()) sound = version_digest(size, digests) == digest;
    if (!sound) checked.damaged.push_back(digest);
  }
  if (contents.failed()) return tl::unexpected(contents.error());
  return checked;
}

Result<void> History::keep_only(const std::set<Digest>& digests) {
  {
    auto transaction = Transaction::begin(database_);
    if (!transaction) return tl::unexpected(transaction.error());
    std::vector<Digest> going;
    std::set<std::int64_t> used;
    Statement contents = database_.prepare("SELECT digest, pieces FROM content");
    while (contents.step()) {
      const auto digest = digest_at(contents, 0);
      if (digest && !digests.contains(*digest)) {
        going.push_back(*digest);
        continue;
      }
      for (const std::int64_t id : parse_ids(contents.blob(1))) used.insert(id);
    }
    if (contents.failed()) return tl::unexpected(contents.error());
    for (const Digest& digest : going) {
      Statement drop = database_.prepare("DELETE FROM content WHERE digest = ?");
      if (auto done = drop.bind(ByteView(digest)).run(); !done) return done;
    }
    std::vector<std::int64_t> unused;
    Statement pieces = database_.prepare("SELECT id FROM piece");
    while (pieces.step())
      if (!used.contains(pieces.integer(0))) unused.push_back(pieces.integer(0));
    if (pieces.failed()) return tl::unexpected(pieces.error());
    for (const std::int64_t id : unused) {
      Statement drop = database_.prepare("DELETE FROM piece WHERE id = ?");
      if (auto done = drop.bind(id).run(); !done) return done;
    }
    if (auto committed = transaction->commit(); !committed) return committed;
  }
  return database_.run("VACUUM");
}

}  // namespace bayswap
