// SQLite's own file operations, one of which fails, finds the disk full, writes half, or is the
// last before the power goes away. What was written and not yet flushed is then lost in part.
#pragma once

#include <sqlite3.h>

#include <cstddef>
#include <map>
#include <string>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap::test {

class FailingSqlite {
 public:
  enum class Fault { error, full, half, power_loss };
  /// Stands in for the usual way to files while it lives. The `at`-th changing operation (from 1)
  /// fails; after a power loss all later ones fail too.
  FailingSqlite(std::size_t at, Fault fault);
  ~FailingSqlite();
  FailingSqlite(const FailingSqlite&) = delete;
  FailingSqlite& operator=(const FailingSqlite&) = delete;

  [[nodiscard]] std::size_t operations() const { return count_; }
  [[nodiscard]] bool failed() const { return failed_; }
  [[nodiscard]] bool power_is_lost() const { return failed_ && fault_ == Fault::power_loss; }
  /// To be called when all databases are closed: of the writes that were not flushed, any may be on
  /// the medium, whole or in half.
  void lose_what_was_not_flushed(std::uint32_t seed) const;

  // For the operations themselves.
  struct Write {
    sqlite3_int64 at = 0;
    Bytes bytes;
    bool cuts = false;  // the file ends at `at`
  };
  int next();
  int write(const std::string& path, sqlite3_file* file, const void* data, int size,
            sqlite3_int64 at);
  int truncate(const std::string& path, sqlite3_file* file, sqlite3_int64 size);
  int sync(const std::string& path, sqlite3_file* file, int flags);
  int remove(const char* path, int sync_folder);
  [[nodiscard]] sqlite3_vfs* usual() const { return usual_; }

 private:
  void note(const std::string& path, sqlite3_file* file);

  struct Unflushed {
    Bytes base;  // as it is on the medium
    std::vector<Write> writes;
  };
  std::size_t at_;
  Fault fault_;
  std::size_t count_ = 0;
  bool failed_ = false;
  sqlite3_vfs* usual_;
  sqlite3_vfs own_;
  std::map<std::string, Unflushed> unflushed_;
};

}  // namespace bayswap::test
