// How a folder looked while it was listed: what a stamp keeps of it.
#pragma once

#include <sys/stat.h>

#include <cstdint>
#include <map>
#include <mutex>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap {

/// What changes with every change of a file or folder.
struct Look {
  std::uint64_t kind = 0;  ///< type, and size of a file
  std::int64_t modified_ns = 0;
  std::int64_t changed_ns = 0;

  bool operator==(const Look&) const = default;
};

[[nodiscard]] Look look_of(const struct stat& status);

/// The bytes of a stamp as they are put together: numbers of 8 bytes, little-endian; texts that end
/// with a NUL.
class StampWriter {
 public:
  void text(std::string_view text);
  void number(std::uint64_t value);
  void look(const Look& look);
  void append(ByteView more);
  [[nodiscard]] Bytes& bytes() { return bytes_; }
  [[nodiscard]] const Bytes& bytes() const { return bytes_; }

 private:
  Bytes bytes_;
};

class FolderRecord {
 public:
  /// To be told of the folder before it is listed, and then of everything in it.
  explicit FolderRecord(const struct stat& folder);
  void add(const char* name, const struct stat& entry);

  [[nodiscard]] const Look& look() const { return look_; }
  /// When the folder, or what else lies in it than folders, changed last.
  [[nodiscard]] std::int64_t newest_ns() const { return newest_ns_; }
  [[nodiscard]] std::size_t size() const { return size_; }
  [[nodiscard]] const std::vector<std::string>& inner_folders() const { return inner_; }
  /// The folder's own look, the number of its entries and their bytes, each entry's name and look;
  /// several times for a large folder, for threads to share it.
  void write(std::string_view path, StampWriter& stamp) const;

 private:
  struct Share {
    std::uint64_t count = 0;
    StampWriter entries;
  };
  Look look_;
  std::int64_t newest_ns_;
  std::size_t size_ = 0;
  std::vector<std::string> inner_;
  std::vector<Share> shares_{Share{}};
};

/// Folders that were listed lately. May be used from several threads.
class FolderRecords {
 public:
  void keep(const struct stat& folder, FolderRecord&& record);
  /// The record of a folder that still looks as when it was listed; null when there is none.
  [[nodiscard]] const FolderRecord* find(const struct stat& folder) const;

 private:
  mutable std::mutex guard_;
  std::map<std::pair<dev_t, ino_t>, FolderRecord> known_;
  std::size_t entries_ = 0;
};

}  // namespace bayswap
