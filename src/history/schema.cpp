#include "history/schema.h"

#include <fmt/core.h>
#include <zstd.h>

#include "core/bytes/text.h"
#include "history/history.h"

namespace bayswap {
namespace {

constexpr std::int64_t kApplicationId = 0x42535750;  // marks the file as a Bay Swap history
constexpr std::int64_t kSchemaVersion = 4;

constexpr const char* kSchema = R"sql(
CREATE TABLE content (digest BLOB PRIMARY KEY, size INTEGER NOT NULL, packed BLOB NOT NULL) WITHOUT ROWID;
CREATE TABLE command (id INTEGER PRIMARY KEY, words TEXT NOT NULL, time_ns INTEGER NOT NULL);
CREATE TABLE move (
  id INTEGER PRIMARY KEY, command INTEGER NOT NULL REFERENCES command, kind TEXT NOT NULL,
  source TEXT NOT NULL, bay TEXT NOT NULL, title TEXT NOT NULL, source_modified_ns INTEGER NOT NULL,
  time_ns INTEGER NOT NULL, state INTEGER NOT NULL, undoes INTEGER NOT NULL);
CREATE TABLE step (
  id INTEGER PRIMARY KEY, move INTEGER NOT NULL REFERENCES move, path BLOB NOT NULL,
  before BLOB, before_modified_ns INTEGER NOT NULL, before_mode INTEGER NOT NULL,
  after BLOB, after_modified_ns INTEGER NOT NULL, after_mode INTEGER NOT NULL);
CREATE TABLE step_folder (
  step INTEGER NOT NULL REFERENCES step, path BLOB NOT NULL, made INTEGER NOT NULL,
  before_ns INTEGER NOT NULL, after_ns INTEGER NOT NULL);
CREATE INDEX step_path ON step (path);
CREATE INDEX step_move ON step (move);
CREATE INDEX step_folder_step ON step_folder (step);
)sql";

// Version 2: `pieces` holds the ids of a large content's pieces, 8 bytes each, little-endian.
constexpr const char* kPieces = R"sql(
ALTER TABLE content ADD COLUMN pieces BLOB;
CREATE TABLE piece (id INTEGER PRIMARY KEY, digest BLOB NOT NULL UNIQUE, size INTEGER NOT NULL, packed BLOB NOT NULL);
)sql";

// Version 4: where a move happens, and which folder it swaps; `folder_is`: 1 new, 2 going.
constexpr const char* kPlaces = R"sql(
CREATE TABLE IF NOT EXISTS move_place (
  move INTEGER PRIMARY KEY REFERENCES move, place BLOB NOT NULL, place_id TEXT NOT NULL,
  folder BLOB NOT NULL, folder_is INTEGER NOT NULL);
)sql";

struct Renamed {
  Bytes digest;
  Digest now{};
};

// The digest of a large content by its pieces; nothing when it is damaged.
std::optional<Digest> digest_by_pieces(const Database& database, std::uint64_t size,
                                       const std::vector<std::int64_t>& ids) {
  std::vector<Digest> digests;
  for (const std::int64_t id : ids) {
    Statement select = database.prepare("SELECT digest FROM piece WHERE id = ?");
    if (!select.bind(id).step()) return std::nullopt;
    const auto digest = digest_at(select, 0);
    if (!digest) return std::nullopt;
    digests.push_back(*digest);
  }
  return version_digest(size, digests);
}

// Version 3: large contents go by the digests of their pieces. A damaged content keeps its old
// digest, under which it is never given back.
Result<void> rename_large(const Database& database) {
  std::vector<Renamed> renamed;
  Statement select = database.prepare(fmt::format(
      "SELECT digest, size, packed, pieces FROM content WHERE size > {}", kWholeContent));
  while (select.step()) {
    const auto size = static_cast<std::uint64_t>(select.integer(1));
    const Bytes pieces = select.blob(3);
    std::optional<Digest> now;
    if (!pieces.empty()) {
      now = digest_by_pieces(database, size, parse_ids(pieces));
    } else if (size <= kSaveLimit) {
      const Bytes packed = select.blob(2);
      Bytes content(static_cast<std::size_t>(size));
      if (ZSTD_decompress(content.data(), content.size(), packed.data(), packed.size()) ==
          content.size())
        now = version_digest(content);
    }
    if (now) renamed.push_back({select.blob(0), *now});
  }
  if (select.failed()) return tl::unexpected(select.error());
  for (const Renamed& content : renamed)
    for (const char* sql : {"UPDATE content SET digest = ? WHERE digest = ?",
                            "UPDATE step SET before = ? WHERE before = ?",
                            "UPDATE step SET after = ? WHERE after = ?"}) {
      Statement update = database.prepare(sql);
      update.bind(ByteView(content.now)).bind(ByteView(content.digest));
      if (auto done = update.run(); !done) return done;
    }
  return {};
}

Result<void> make_or_update(const Database& database, const Path& file) {
  Statement marks = database.prepare(
      "SELECT (SELECT application_id FROM pragma_application_id), "
      "(SELECT user_version FROM pragma_user_version), "
      "(SELECT count(*) FROM sqlite_master)");
  if (!marks.step()) return tl::unexpected(marks.error());
  const bool is_new = marks.integer(2) == 0;
  const std::int64_t application = marks.integer(0);
  const std::int64_t version = is_new ? 0 : marks.integer(1);
  if (!is_new && application != kApplicationId)
    return damaged_history(fmt::format("{}: is not a Bay Swap history", safe_text(file.string())));
  if (version > kSchemaVersion)
    return fail(Trouble::place, Code::history_failed,
                fmt::format("{}: was written by a newer Bay Swap", safe_text(file.string())),
                "use the newer version");
  if (version == kSchemaVersion) return {};
  if (is_new)
    if (auto made = database.run(kSchema); !made) return made;
  if (version < 2)
    if (auto made = database.run(kPieces); !made) return made;
  if (version < 3)
    if (auto done = rename_large(database); !done) return done;
  if (auto made = database.run(kPlaces); !made) return made;
  return database.run(fmt::format("PRAGMA application_id={}; PRAGMA user_version={}",
                                  kApplicationId, kSchemaVersion)
                          .c_str());
}

}  // namespace

Result<void> bring_forward(const Database& database, const Path& file) {
  // Contents are large; this only counts for a database that is new.
  if (auto set = database.run("PRAGMA page_size=16384"); !set) return set;
  auto transaction = Transaction::begin(database);
  if (!transaction) return tl::unexpected(transaction.error());
  if (auto done = make_or_update(database, file); !done) return done;
  return transaction->commit();
}

namespace {

std::int64_t version_of(const Database& database) {
  Statement version = database.prepare("SELECT user_version FROM pragma_user_version");
  return version.step() ? version.integer(0) : 0;
}

}  // namespace

bool can_be_read(const Database& database) {
  const std::int64_t version = version_of(database);
  return version == 3 || version == kSchemaVersion;
}

bool has_places(const Database& database) {
  return version_of(database) >= 4;
}

}  // namespace bayswap
