// The versions of every save that was replaced or written, and the journal of moves.
//
// One SQLite database: `content` holds bytes by their version digest, compressed with zstd, large
// ones in `piece`s that versions share; `command` is one call of the tool; `move` is one save of
// it; `step` is one file of a move.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <unordered_map>
#include <vector>

#include "bayswap/progress.h"
#include "bayswap/result.h"
#include "files/turn_lock.h"
#include "files/version_digest.h"
#include "history/packed_content.h"
#include "history/sqlite.h"

namespace bayswap {

/// Where a move stands. `writing` found at the start of a run means that the last one was cut off;
/// `kept` is not a move: what lay there was put into history.
enum class MoveState { writing, done, undone, rolled_back, kept };

/// What a file was, or is to be. No digest: it does not exist.
struct FileVersion {
  std::optional<Digest> digest;
  std::int64_t modified_ns = 0;
  std::uint32_t mode = 0644;
};

/// A folder whose time a step changes: before, and after the move.
struct FolderTime {
  std::string path;
  std::int64_t before_ns = 0;
  std::int64_t after_ns = 0;
};

/// One file of a move.
struct Step {
  std::int64_t id = 0;
  std::string path;  ///< absolute
  FileVersion before;
  FileVersion after;
  std::vector<std::string> made_folders;  ///< outermost first
  std::vector<FolderTime> folder_times;
};

struct MoveRecord {
  std::int64_t id = 0;
  std::int64_t command = 0;  ///< 0: a command of its own, named after `kind`
  std::string kind;          ///< `carry`, `undo`, `card put` …
  std::string source;        ///< where the progress came from, for people
  std::string bay;
  std::string title;
  std::int64_t source_modified_ns = 0;  ///< when the progress was made
  std::int64_t time_ns = 0;
  MoveState state = MoveState::writing;
  std::int64_t undoes = 0;  ///< the move that this one takes back; 0: none
  /// A folder that was there before the move and is never made by one: a bay's root, or the nearest
  /// folder above the files. Empty in records of older versions.
  std::string place;
  std::string place_id;         ///< Storage::identity() of it, when the move began
  std::string folder;           ///< the folder that is swapped as a whole; empty: none is
  bool makes_folder = false;    ///< nothing was there in its place
  bool removes_folder = false;  ///< nothing of it is there afterwards
  std::vector<Step> steps;
};

/// A move that was cut off and can't be finished now. It holds up nothing but its own paths.
struct WaitingMove {
  std::int64_t id = 0;
  std::vector<std::string> paths;
  Error reason;
};

/// `m12` and back.
[[nodiscard]] std::string move_name(std::int64_t id);
[[nodiscard]] std::optional<std::int64_t> parse_move_name(std::string_view name);

/// A digest in a column; nothing when there is none.
[[nodiscard]] std::optional<Digest> digest_at(const Statement& statement, int column);
/// The ids of a large content's pieces, as they are stored.
[[nodiscard]] std::vector<std::int64_t> parse_ids(ByteView blob);

/// `history-failed`, with what to do about a history that is damaged.
[[nodiscard]] tl::unexpected<Error> damaged_history(std::string_view text);

class History {
 public:
  /// Makes the database when it is missing. One run at a time has it open so; others wait for their
  /// turn. Errors: `history-failed`.
  [[nodiscard]] static Result<History> open(Storage& storage, const Path& file);
  /// Nothing when there is no history yet. Writes nothing.
  [[nodiscard]] static Result<std::optional<History>> open_to_read(Storage& storage,
                                                                   const Path& file);

  Result<Digest> keep(ByteView content);
  Result<Digest> keep(PackedContent content);
  /// Keeps a content whose digests the caller has computed. Where it has most of its bytes in
  /// common with an older one that is kept already, only the pieces that differ are looked for.
  Result<void> keep_as(const ContentDigests& digests, ByteView content,
                       const ContentDigests& older = {});
  /// Keeps a file of any size, in bounded memory.
  Result<Digest> keep_file(Storage& storage, const Path& path);
  /// Errors: `history-failed`; `tidied-away` for one that history does not hold any more;
  /// `too-large` beyond kSaveLimit.
  Result<Bytes> content(const Digest& digest) const;
  /// The same for a content of any size, piece by piece. What was handed on counts only when the
  /// call succeeds: the bytes are proved at the end.
  Result<void> content_to(const Digest& digest, const ByteSink& sink) const;
  /// Keeps what a file holds that has lost its name.
  Result<Digest> keep_taken_out(TakenOut& file);

  Result<std::int64_t> begin_command(const std::string& words, std::int64_t time_ns);
  /// Records the move as `writing` with all its steps, and fills in the ids.
  Result<void> begin_move(MoveRecord& move);
  /// Updates state, times of files and folders after the writing.
  Result<void> finish_move(const MoveRecord& move);
  /// Updates what the files will be, once that is known.
  Result<void> note_digests(const MoveRecord& move);
  Result<void> mark(std::int64_t move, MoveState state);

  Result<std::vector<MoveRecord>> unfinished() const;
  /// The moves of the last command that can be undone, newest first.
  Result<std::vector<MoveRecord>> last_command() const;
  /// Errors: `no-match`.
  Result<MoveRecord> move(std::int64_t id) const;

  /// Everything that happened, oldest first: moves that stand or were undone, and what was kept.
  Result<std::vector<MoveRecord>> past_moves() const;
  /// The newest version that history knows of each path.
  struct Newest {
    FileVersion version;
    std::uint64_t size = 0;    ///< bytes
    std::int64_t time_ns = 0;  ///< when it was seen or written
  };
  Result<std::unordered_map<std::string, Newest>> newest_versions() const;
  /// Moves that an earlier run left and that can't be settled now.
  [[nodiscard]] const std::vector<WaitingMove>& waiting() const { return waiting_; }
  void set_waiting(std::vector<WaitingMove> waiting) { waiting_ = std::move(waiting); }

  /// Whether the content can be given back, and its size in bytes.
  std::optional<std::uint64_t> size_of(const Digest& digest) const;
  /// Lets every content go but these, and gives back the room.
  Result<void> keep_only(const std::set<Digest>& digests);
  /// Hashes every piece and content anew. Gives those that are damaged.
  struct Checked {
    std::size_t contents = 0;
    std::size_t pieces = 0;
    std::vector<Digest> damaged;
  };
  /// `progress` may be null. Errors: `cancelled`.
  Result<Checked> check_contents(Progress* progress = nullptr) const;

  /// The time of the file that the newest standing move wrote here; 0: none did.
  [[nodiscard]] std::int64_t written_ns(const std::string& path) const;
  /// Contents that a move which still stands replaced at this path.
  Result<std::vector<Digest>> replaced_at(const std::string& path) const;
  /// A carry between two files or folders that was not taken back: they were equal then.
  struct Carried {
    struct File {
      std::string path;
      std::optional<Digest> before;
      std::optional<Digest> after;
      std::int64_t after_modified_ns = 0;
    };
    std::int64_t move = 0;
    bool towards = false;                 ///< from `here` to `there`; else the other way
    std::int64_t time_ns = 0;             ///< when it was done
    std::int64_t source_modified_ns = 0;  ///< of what was carried, then
    std::vector<File> files;              ///< that it wrote
  };
  /// Newest first, at most so many. Both are absolute paths.
  [[nodiscard]] Result<std::vector<Carried>> carries_between(const std::string& there,
                                                             const std::string& here,
                                                             std::size_t most) const;

  /// When the progress was made that the newest standing move wrote here; nothing when `current`
  /// is not what that move wrote.
  Result<std::optional<std::int64_t>> progress_time(const std::string& path,
                                                    const Digest& current) const;

  [[nodiscard]] const Database& database() const { return database_; }

 private:
  explicit History(Database database) : database_(std::move(database)) {}
  Result<Bytes> keep_pieces(const ContentDigests& digests, ByteView content,
                            const ContentDigests& older);
  /// The ids of pieces, in their order; those that are new are packed on two threads.
  Result<std::vector<std::int64_t>> keep_all_pieces(std::span<const Digest> digests,
                                                    std::span<const ByteView> pieces);
  /// Gives the pieces at the places that are missing.
  using PackPieces =
      std::function<Result<std::vector<PackedPiece>>(std::span<const std::size_t> missing)>;
  Result<std::vector<std::int64_t>> keep_all_pieces(std::span<const Digest> digests,
                                                    const PackPieces& pack);
  Result<void> add_content(const Digest& digest, std::uint64_t size, ByteView packed,
                           ByteView pieces);
  Result<void> unpack_piece(std::int64_t id, std::uint64_t limit, Bytes& into) const;
  /// Keeps a content of any size that `read` hands on piece by piece.
  using ReadPieces =
      std::function<Result<void>(std::size_t piece, const std::function<bool(ByteView)>& take)>;
  Result<Digest> keep_stream(std::uint64_t size, const ReadPieces& read);
  Result<void> load_place(MoveRecord& move) const;
  Result<std::vector<MoveRecord>> moves_where(const std::string& condition) const;
  Result<void> load_steps(MoveRecord& move) const;
  Result<void> write_folders(const Step& step);

  Database database_;
  TurnLock turn_;
  std::vector<WaitingMove> waiting_;
  std::optional<Statement> find_piece_;
  std::optional<Statement> add_piece_;
};

}  // namespace bayswap
