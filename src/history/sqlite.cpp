#include "history/sqlite.h"

#include <fmt/core.h>
#include <sqlite3.h>

#include <functional>
#include <map>
#include <utility>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr int kPatienceMs = 10'000;  // how long to wait for another run of Bay Swap

Error database_error(sqlite3* database) {
  const int code = database == nullptr ? SQLITE_NOMEM : sqlite3_extended_errcode(database);
  const int primary = code & 0xFF;
  Error error{Trouble::place, Code::history_failed,
              fmt::format("the history cannot be used: {}",
                          database == nullptr ? "out of memory" : sqlite3_errmsg(database)),
              "check the disk that holds it and try again; nothing else was changed"};
  if (primary == SQLITE_BUSY) error.hint = "another bayswap is at work; wait for it and try again";
  if (primary == SQLITE_CORRUPT || primary == SQLITE_NOTADB) {
    error.code = kDamagedDatabase;
    error.hint = "the database is damaged: move it aside, and keep it, before you try again";
  }
  return error;
}

}  // namespace

class StatementPool {
 public:
  StatementPool() = default;
  StatementPool(const StatementPool&) = delete;
  StatementPool& operator=(const StatementPool&) = delete;
  ~StatementPool() {
    for (const auto& [sql, statement] : idle_) sqlite3_finalize(statement);
  }

  /// Null when there is none.
  sqlite3_stmt* take(std::string_view sql) {
    const auto found = idle_.find(sql);
    if (found == idle_.end()) return nullptr;
    sqlite3_stmt* statement = found->second;
    idle_.erase(found);
    return statement;
  }

  void give_back(sqlite3_stmt* statement) {
    constexpr std::size_t kMost = 64;
    if (statement == nullptr) return;
    if (idle_.size() >= kMost) {
      sqlite3_finalize(statement);
      return;
    }
    sqlite3_reset(statement);
    sqlite3_clear_bindings(statement);
    idle_.emplace(sqlite3_sql(statement), statement);
  }

 private:
  std::multimap<std::string, sqlite3_stmt*, std::less<>> idle_;
};

Statement::Statement(sqlite3* database, std::shared_ptr<StatementPool> pool, std::string_view sql)
    : database_(database) {
  sqlite3_stmt* raw = pool->take(sql);
  failed_ = raw == nullptr && sqlite3_prepare_v2(database, sql.data(), static_cast<int>(sql.size()),
                                                 &raw, nullptr) != SQLITE_OK;
  statement_.reset(
      raw, [pool = std::move(pool)](sqlite3_stmt* statement) { pool->give_back(statement); });
}

Statement& Statement::bind(std::int64_t value) {
  failed_ = sqlite3_bind_int64(statement_.get(), next_++, value) != SQLITE_OK || failed_;
  return *this;
}

Statement& Statement::bind(std::string_view value) {
  failed_ = sqlite3_bind_text(statement_.get(), next_++, value.data(),
                              static_cast<int>(value.size()), SQLITE_TRANSIENT) != SQLITE_OK ||
            failed_;
  return *this;
}

Statement& Statement::bind_bytes(ByteView value, void (*keep)(void*)) {
  failed_ = sqlite3_bind_blob64(statement_.get(), next_++,
                                value.empty() ? static_cast<const void*>("") : value.data(),
                                value.size(), keep) != SQLITE_OK ||
            failed_;
  return *this;
}

Statement& Statement::bind(ByteView value) {
  return bind_bytes(value, SQLITE_TRANSIENT);
}

Statement& Statement::bind_lasting(ByteView value) {
  return bind_bytes(value, SQLITE_STATIC);
}

Statement& Statement::bind_null() {
  failed_ = sqlite3_bind_null(statement_.get(), next_++) != SQLITE_OK || failed_;
  return *this;
}

Statement& Statement::again() {
  sqlite3_reset(statement_.get());
  sqlite3_clear_bindings(statement_.get());
  next_ = 1;
  failed_ = statement_ == nullptr;
  return *this;
}

bool Statement::step() {
  if (failed_) return false;
  const int result = sqlite3_step(statement_.get());
  failed_ = result != SQLITE_ROW && result != SQLITE_DONE;
  return result == SQLITE_ROW;
}

Result<void> Statement::run() {
  while (step()) continue;
  if (failed_) return tl::unexpected(error());
  return {};
}

Error Statement::error() const {
  return database_error(database_);
}

std::int64_t Statement::integer(int column) const {
  return sqlite3_column_int64(statement_.get(), column);
}

std::string Statement::text(int column) const {
  const unsigned char* text = sqlite3_column_text(statement_.get(), column);
  return text == nullptr ? std::string{} : reinterpret_cast<const char*>(text);
}

Bytes Statement::blob(int column) const {
  const auto* data = static_cast<const std::byte*>(sqlite3_column_blob(statement_.get(), column));
  const auto size = static_cast<std::size_t>(sqlite3_column_bytes(statement_.get(), column));
  return data == nullptr ? Bytes{} : Bytes(data, data + size);
}

bool Statement::is_null(int column) const {
  return sqlite3_column_type(statement_.get(), column) == SQLITE_NULL;
}

Result<Database> Database::open(const Path& path, Mode mode) {
  sqlite3* raw = nullptr;
  // Readers may have to roll back what a cut-off run left, and so open it to write as well.
  const int flags = SQLITE_OPEN_READWRITE | (mode == Mode::write ? SQLITE_OPEN_CREATE : 0);
  const int result = sqlite3_open_v2(path.c_str(), &raw, flags, nullptr);
  Database database;
  database.handle_.reset(raw, sqlite3_close_v2);
  database.pool_ = std::make_shared<StatementPool>();
  if (result != SQLITE_OK) {
    Error error = database_error(raw);
    error.text = fmt::format("{}: {}", safe_text(path.string()), error.text);
    return tl::unexpected(error);
  }
  sqlite3_busy_timeout(raw, kPatienceMs);
  if (mode == Mode::read)
    if (auto set = database.run("PRAGMA query_only=ON"); !set) return tl::unexpected(set.error());
  return database;
}

Result<void> Database::run(const char* sql) const {
  if (sqlite3_exec(handle_.get(), sql, nullptr, nullptr, nullptr) != SQLITE_OK)
    return tl::unexpected(database_error(handle_.get()));
  return {};
}

std::int64_t Database::last_row() const {
  return sqlite3_last_insert_rowid(handle_.get());
}

Result<Transaction> Transaction::begin(const Database& database) {
  if (auto begun = database.run("BEGIN IMMEDIATE"); !begun) return tl::unexpected(begun.error());
  return Transaction(database);
}

Transaction::~Transaction() {
  if (database_ != nullptr) (void)database_->run("ROLLBACK");
}

Result<void> Transaction::commit() {
  auto result = database_->run("COMMIT");
  if (result) database_ = nullptr;
  return result;
}

}  // namespace bayswap
