#include "history/history.h"

#include <fmt/core.h>

#include <algorithm>
#include <charconv>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "history/schema.h"

namespace bayswap {
namespace {

void bind_digest(Statement& statement, const std::optional<Digest>& digest) {
  if (digest) {
    statement.bind(ByteView(*digest));
  } else {
    statement.bind_null();
  }
}

std::string path_at(const Statement& statement, int column) {
  const Bytes blob = statement.blob(column);
  return {reinterpret_cast<const char*>(blob.data()), blob.size()};
}

}  // namespace

tl::unexpected<Error> damaged_history(std::string_view text) {
  return fail(Trouble::place, Code::history_failed, text,
              "move the database aside, and keep it, before you try again");
}

std::optional<Digest> digest_at(const Statement& statement, int column) {
  const Bytes blob = statement.blob(column);
  Digest digest{};
  if (blob.size() != digest.size()) return std::nullopt;
  std::copy(blob.begin(), blob.end(), digest.begin());
  return digest;
}

std::vector<std::int64_t> parse_ids(ByteView blob) {
  std::vector<std::int64_t> ids;
  Cursor cursor(blob);
  for (std::size_t at = 0; at + 8 <= blob.size(); at += 8)
    ids.push_back(static_cast<std::int64_t>(cursor.u64le(at)));
  return ids;
}

std::string move_name(std::int64_t id) {
  return fmt::format("m{}", id);
}

std::optional<std::int64_t> parse_move_name(std::string_view name) {
  if (!name.starts_with('m')) return std::nullopt;
  name.remove_prefix(1);
  std::int64_t id = 0;
  const auto [end, problem] = std::from_chars(name.data(), name.data() + name.size(), id);
  if (problem != std::errc{} || end != name.data() + name.size() || id < 1) return std::nullopt;
  return id;
}

namespace {

Result<Database> open_current(const Path& file) {
  auto database = Database::open(file, Database::Mode::write);
  if (!database) return database;
  // The journal of a change stays beside the database, ended by its zeroed head: making and
  // removing it each time takes longer than writing it.
  if (auto set = database->run("PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON; "
                               "PRAGMA journal_mode=PERSIST; PRAGMA journal_size_limit=1048576; "
                               "PRAGMA cache_size=-4096");
      !set)
    return tl::unexpected(set.error());
  if (auto ready = bring_forward(*database, file); !ready) return tl::unexpected(ready.error());
  return database;
}

// What is damaged is never deleted: somebody may still get something out of it.
Error set_aside(Storage& storage, const Path& file) {
  const Path aside = free_name(storage, file.string() + ".damaged");
  if (auto moved = storage.rename(file, aside); !moved) return moved.error();
  for (const char* part : {"-wal", "-shm", "-journal"})
    if (const Path beside = file.string() + part; !is_missing(storage, beside))
      (void)storage.rename(beside, aside.string() + part);
  return {Trouble::place, Code::history_failed,
          fmt::format("the history was damaged and is set aside as {}; nothing else was changed",
                      safe_text(aside.string())),
          "run the command again: a new history begins. Keep the old one, what is whole in it can "
          "still be read"};
}

}  // namespace

namespace {

// What history holds is for its user only. The database's journal takes the mode from it.
void make_private(Storage& storage, const Path& file) {
  constexpr std::uint32_t kOwnFile = 0600;
  (void)storage.create(file, {}, kOwnFile);
  for (const std::string part : {"", "-journal", "-turn"})
    if (const Path path = file.string() + part; storage.info(path))
      (void)storage.set_mode(path, kOwnFile);
  (void)storage.set_mode(file.parent_path(), 0700);
}

}  // namespace

Result<History> History::open(Storage& storage, const Path& file) {
  if (auto made = make_private_folders(storage, file.parent_path()); !made)
    return tl::unexpected(made.error());
  make_private(storage, file);
  auto turn = take_turn(file);
  if (!turn) return tl::unexpected(turn.error());
  auto database = open_current(file);
  if (!database) {
    if (database.error().code != kDamagedDatabase) return tl::unexpected(database.error());
    return tl::unexpected(set_aside(storage, file));
  }
  History history(std::move(*database));
  history.turn_ = std::move(*turn);
  return history;
}

Result<std::optional<History>> History::open_to_read(Storage& storage, const Path& file) {
  if (is_missing(storage, file)) return std::optional<History>{};
  auto database = Database::open(file, Database::Mode::read);
  if (!database) return tl::unexpected(database.error());
  // A much older one is brought forward by the first command that writes.
  if (!can_be_read(*database)) return std::optional<History>{};
  return std::optional<History>(History(std::move(*database)));
}

Result<std::int64_t> History::begin_command(const std::string& words, std::int64_t time_ns) {
  Statement insert = database_.prepare("INSERT INTO command (words, time_ns) VALUES (?, ?)");
  insert.bind(words).bind(time_ns);
  if (auto done = insert.run(); !done) return tl::unexpected(done.error());
  return database_.last_row();
}

Result<void> History::begin_move(MoveRecord& move) {
  Statement insert = database_.prepare(
      "INSERT INTO move (command, kind, source, bay, title, source_modified_ns, time_ns, state, "
      "undoes) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)");
  insert.bind(move.command)
      .bind(move.kind)
      .bind(move.source)
      .bind(move.bay)
      .bind(move.title)
      .bind(move.source_modified_ns)
      .bind(move.time_ns)
      .bind(static_cast<std::int64_t>(move.state))
      .bind(move.undoes);
  if (auto done = insert.run(); !done) return done;
  move.id = database_.last_row();
  Statement where = database_.prepare("INSERT INTO move_place VALUES (?, ?, ?, ?, ?)");
  where.bind(move.id)
      .bind(as_bytes(move.place))
      .bind(move.place_id)
      .bind(as_bytes(move.folder))
      .bind(std::int64_t{move.makes_folder     ? 1
                         : move.removes_folder ? 2
                                               : 0});
  if (auto done = where.run(); !done) return done;
  for (Step& step : move.steps) {
    Statement add = database_.prepare(
        "INSERT INTO step (move, path, before, before_modified_ns, before_mode, after, "
        "after_modified_ns, after_mode) VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
    add.bind(move.id).bind(as_bytes(step.path));
    bind_digest(add, step.before.digest);
    add.bind(step.before.modified_ns).bind(std::int64_t{step.before.mode});
    bind_digest(add, step.after.digest);
    add.bind(step.after.modified_ns).bind(std::int64_t{step.after.mode});
    if (auto done = add.run(); !done) return done;
    step.id = database_.last_row();
    if (auto kept = write_folders(step); !kept) return kept;
  }
  return {};
}

Result<void> History::write_folders(const Step& step) {
  Statement clear = database_.prepare("DELETE FROM step_folder WHERE step = ?");
  if (auto done = clear.bind(step.id).run(); !done) return done;
  const auto add = [&](const std::string& path, bool made, std::int64_t before,
                       std::int64_t after) {
    Statement insert = database_.prepare("INSERT INTO step_folder VALUES (?, ?, ?, ?, ?)");
    return insert.bind(step.id)
        .bind(as_bytes(path))
        .bind(std::int64_t{made})
        .bind(before)
        .bind(after)
        .run();
  };
  for (const std::string& folder : step.made_folders)
    if (auto done = add(folder, true, 0, 0); !done) return done;
  for (const FolderTime& time : step.folder_times)
    if (auto done = add(time.path, false, time.before_ns, time.after_ns); !done) return done;
  return {};
}

Result<void> History::finish_move(const MoveRecord& move) {
  auto transaction = Transaction::begin(database_);
  if (!transaction) return tl::unexpected(transaction.error());
  for (const Step& step : move.steps) {
    Statement update = database_.prepare("UPDATE step SET after_modified_ns = ? WHERE id = ?");
    update.bind(step.after.modified_ns).bind(step.id);
    if (auto done = update.run(); !done) return done;
    if (auto kept = write_folders(step); !kept) return kept;
  }
  if (auto marked = mark(move.id, move.state); !marked) return marked;
  if (move.undoes != 0 && move.state == MoveState::done)
    if (auto marked = mark(move.undoes, MoveState::undone); !marked) return marked;
  return transaction->commit();
}

Result<void> History::note_digests(const MoveRecord& move) {
  auto transaction = Transaction::begin(database_);
  if (!transaction) return tl::unexpected(transaction.error());
  for (const Step& step : move.steps) {
    Statement update = database_.prepare("UPDATE step SET after = ? WHERE id = ?");
    bind_digest(update, step.after.digest);
    if (auto done = update.bind(step.id).run(); !done) return done;
  }
  return transaction->commit();
}

Result<void> History::mark(std::int64_t move, MoveState state) {
  Statement update = database_.prepare("UPDATE move SET state = ? WHERE id = ?");
  return update.bind(static_cast<std::int64_t>(state)).bind(move).run();
}

Result<std::vector<MoveRecord>> History::moves_where(const std::string& condition) const {
  std::vector<MoveRecord> moves;
  Statement select = database_.prepare(
      "SELECT id, command, kind, source, bay, title, source_modified_ns, time_ns, state, undoes "
      "FROM move WHERE " +
      condition);
  while (select.step()) {
    MoveRecord move;
    move.id = select.integer(0);
    move.command = select.integer(1);
    move.kind = select.text(2);
    move.source = select.text(3);
    move.bay = select.text(4);
    move.title = select.text(5);
    move.source_modified_ns = select.integer(6);
    move.time_ns = select.integer(7);
    move.state = static_cast<MoveState>(select.integer(8));
    move.undoes = select.integer(9);
    moves.push_back(std::move(move));
  }
  if (select.failed()) return tl::unexpected(select.error());
  for (MoveRecord& move : moves) {
    if (auto loaded = load_place(move); !loaded) return tl::unexpected(loaded.error());
    if (auto loaded = load_steps(move); !loaded) return tl::unexpected(loaded.error());
  }
  return moves;
}

Result<void> History::load_place(MoveRecord& move) const {
  if (!has_places(database_)) return {};
  Statement select =
      database_.prepare("SELECT place, place_id, folder, folder_is FROM move_place WHERE move = ?");
  if (select.bind(move.id).step()) {
    move.place = path_at(select, 0);
    move.place_id = select.text(1);
    move.folder = path_at(select, 2);
    move.makes_folder = select.integer(3) == 1;
    move.removes_folder = select.integer(3) == 2;
  }
  if (select.failed()) return tl::unexpected(select.error());
  return {};
}

Result<void> History::load_steps(MoveRecord& move) const {
  Statement select = database_.prepare(
      "SELECT id, path, before, before_modified_ns, before_mode, after, after_modified_ns, "
      "after_mode FROM step WHERE move = ? ORDER BY id");
  select.bind(move.id);
  while (select.step()) {
    Step step;
    step.id = select.integer(0);
    step.path = path_at(select, 1);
    step.before = {digest_at(select, 2), select.integer(3),
                   static_cast<std::uint32_t>(select.integer(4))};
    step.after = {digest_at(select, 5), select.integer(6),
                  static_cast<std::uint32_t>(select.integer(7))};
    Statement folders = database_.prepare(
        "SELECT path, made, before_ns, after_ns FROM step_folder WHERE step = ? ORDER BY rowid");
    folders.bind(step.id);
    while (folders.step()) {
      if (folders.integer(1) != 0) {
        step.made_folders.push_back(path_at(folders, 0));
      } else {
        step.folder_times.push_back({path_at(folders, 0), folders.integer(2), folders.integer(3)});
      }
    }
    move.steps.push_back(std::move(step));
  }
  if (select.failed()) return tl::unexpected(select.error());
  return {};
}

Result<std::vector<MoveRecord>> History::unfinished() const {
  return moves_where(
      fmt::format("state = {} ORDER BY id DESC", static_cast<int>(MoveState::writing)));
}

Result<std::vector<MoveRecord>> History::last_command() const {
  const int done = static_cast<int>(MoveState::done);
  return moves_where(
      fmt::format("state = {0} AND undoes = 0 AND command = (SELECT max(command) FROM "
                  "move WHERE state = {0} AND undoes = 0) ORDER BY id DESC",
                  done));
}

Result<std::vector<MoveRecord>> History::past_moves() const {
  return moves_where(
      fmt::format("state IN ({}, {}, {}) ORDER BY id", static_cast<int>(MoveState::done),
                  static_cast<int>(MoveState::undone), static_cast<int>(MoveState::kept)));
}

Result<std::unordered_map<std::string, History::Newest>> History::newest_versions() const {
  Statement select = database_.prepare(fmt::format(
      "SELECT step.path, step.after, step.after_modified_ns, step.after_mode, content.size, "
      "move.time_ns FROM step JOIN move ON step.move = move.id LEFT JOIN content ON content.digest "
      "= step.after WHERE move.state IN ({}, {}, {}) ORDER BY step.id",
      static_cast<int>(MoveState::done), static_cast<int>(MoveState::undone),
      static_cast<int>(MoveState::kept)));
  std::unordered_map<std::string, Newest> newest;
  while (select.step()) {
    Newest entry;
    entry.version = {digest_at(select, 1), select.integer(2),
                     static_cast<std::uint32_t>(select.integer(3))};
    if (select.is_null(4)) entry.version.digest.reset();  // its content is not kept
    entry.size = static_cast<std::uint64_t>(select.integer(4));
    entry.time_ns = select.integer(5);
    newest.insert_or_assign(path_at(select, 0), entry);
  }
  if (select.failed()) return tl::unexpected(select.error());
  return newest;
}

Result<MoveRecord> History::move(std::int64_t id) const {
  auto moves = moves_where(fmt::format("id = {}", id));
  if (!moves) return tl::unexpected(moves.error());
  if (moves->empty())
    return fail(Trouble::stopped, Code::no_match, fmt::format("there is no move {}", move_name(id)),
                {"'", Remedy::undo, "' without a name takes back the last command"});
  return std::move(moves->front());
}

std::int64_t History::written_ns(const std::string& path) const {
  Statement select = database_.prepare(
      "SELECT step.after_modified_ns FROM step JOIN move ON step.move = move.id "
      "WHERE step.path = ? AND move.state = ? ORDER BY step.id DESC LIMIT 1");
  select.bind(as_bytes(path)).bind(static_cast<std::int64_t>(MoveState::done));
  return select.step() ? select.integer(0) : 0;
}

Result<std::vector<Digest>> History::replaced_at(const std::string& path) const {
  Statement select = database_.prepare(
      "SELECT DISTINCT step.before FROM step JOIN move ON step.move = move.id WHERE step.path = ? "
      "AND move.state = ? AND move.undoes = 0 AND step.before IS NOT NULL");
  select.bind(as_bytes(path)).bind(static_cast<std::int64_t>(MoveState::done));
  std::vector<Digest> digests;
  while (select.step())
    if (const auto digest = digest_at(select, 0)) digests.push_back(*digest);
  if (select.failed()) return tl::unexpected(select.error());
  return digests;
}

Result<std::vector<History::Carried>> History::carries_between(const std::string& there,
                                                               const std::string& here,
                                                               std::size_t most) const {
  std::vector<Carried> found;
  for (const bool towards : {true, false}) {
    const std::string& to = towards ? there : here;
    const std::string& from = towards ? here : there;
    Statement select = database_.prepare(
        "SELECT move.id, move.time_ns, move.source_modified_ns, step.path, step.before, "
        "step.after, step.after_modified_ns FROM step JOIN move ON step.move = move.id WHERE "
        "(step.path = ? OR (step.path > ? AND step.path < ?)) AND move.state = ? AND move.undoes "
        "= 0 AND move.kind = 'carry' AND CAST(move.source AS BLOB) = ? ORDER BY move.id DESC");
    const std::string first_below = to + '/';
    const std::string behind_below = to + static_cast<char>('/' + 1);
    select.bind(as_bytes(to))
        .bind(as_bytes(first_below))
        .bind(as_bytes(behind_below))
        .bind(static_cast<std::int64_t>(MoveState::done))
        .bind(as_bytes(from));
    std::size_t moves = 0;
    while (select.step()) {
      if (moves == 0 || found.back().move != select.integer(0)) {
        if (++moves > most) break;
        found.push_back({select.integer(0), towards, select.integer(1), select.integer(2), {}});
      }
      found.back().files.push_back(
          {path_at(select, 3), digest_at(select, 4), digest_at(select, 5), select.integer(6)});
    }
    if (select.failed()) return tl::unexpected(select.error());
  }
  std::ranges::stable_sort(found, std::ranges::greater{}, &Carried::move);
  if (found.size() > most) found.resize(most);
  return found;
}

Result<std::optional<std::int64_t>> History::progress_time(const std::string& path,
                                                           const Digest& current) const {
  Statement select = database_.prepare(
      "SELECT step.after, move.source_modified_ns FROM step JOIN move ON step.move = move.id WHERE "
      "step.path = ? AND move.state = ? AND move.undoes = 0 ORDER BY move.id DESC LIMIT 1");
  select.bind(as_bytes(path)).bind(static_cast<std::int64_t>(MoveState::done));
  std::optional<std::int64_t> time;
  if (select.step() && digest_at(select, 0) == current) time = select.integer(1);
  if (select.failed()) return tl::unexpected(select.error());
  return time;
}

}  // namespace bayswap
