// A thin, typed cover over the SQLite C interface.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "bayswap/bytes.h"
#include "bayswap/result.h"
#include "bayswap/storage.h"

struct sqlite3;
struct sqlite3_stmt;

namespace bayswap {

/// The code of errors that say that the database itself is damaged.
inline constexpr Code kDamagedDatabase = Code::history_damaged;

/// Statements that were used and can be used again, by their text: making one anew takes longer
/// than running it.
class StatementPool;

/// A prepared statement. Parameters are bound in order; columns are read by number.
class Statement {
 public:
  Statement(sqlite3* database, std::shared_ptr<StatementPool> pool, std::string_view sql);

  Statement& bind(std::int64_t value);
  Statement& bind(std::string_view value);
  Statement& bind(ByteView value);
  /// Not copied: the bytes must stay as they are until the statement has run.
  Statement& bind_lasting(ByteView value);
  Statement& bind_null();

  /// Ready for other values.
  Statement& again();
  /// True when there is a row. Check failed() after the last one.
  bool step();
  /// Runs to the end.
  Result<void> run();
  [[nodiscard]] bool failed() const { return failed_; }
  [[nodiscard]] Error error() const;

  [[nodiscard]] std::int64_t integer(int column) const;
  [[nodiscard]] std::string text(int column) const;
  [[nodiscard]] Bytes blob(int column) const;
  [[nodiscard]] bool is_null(int column) const;

 private:
  Statement& bind_bytes(ByteView value, void (*keep)(void*));

  sqlite3* database_;
  std::shared_ptr<sqlite3_stmt> statement_;
  int next_ = 1;
  bool failed_ = false;
};

class Database {
 public:
  enum class Mode { read, write };
  [[nodiscard]] static Result<Database> open(const Path& path, Mode mode);

  [[nodiscard]] Statement prepare(std::string_view sql) const {
    return {handle_.get(), pool_, sql};
  }
  Result<void> run(const char* sql) const;
  [[nodiscard]] std::int64_t last_row() const;

 private:
  std::shared_ptr<sqlite3> handle_;
  std::shared_ptr<StatementPool> pool_;
};

/// Everything in between is kept or dropped as one; dropped unless commit() is called.
class Transaction {
 public:
  [[nodiscard]] static Result<Transaction> begin(const Database& database);
  Transaction(Transaction&& other) noexcept : database_(other.database_) {
    other.database_ = nullptr;
  }
  Transaction& operator=(Transaction&&) = delete;
  ~Transaction();
  Result<void> commit();

 private:
  explicit Transaction(const Database& database) : database_(&database) {}
  const Database* database_;
};

}  // namespace bayswap
