// Files read, hashed and packed on a thread of its own, while history writes those before them.
#pragma once

#include <condition_variable>
#include <deque>
#include <mutex>
#include <thread>
#include <vector>

#include "bayswap/storage.h"
#include "history/packed_content.h"

namespace bayswap {

class PackAhead {
 public:
  struct File {
    Path path;
    FileInfo info;
  };

  /// The files will be asked for in this order.
  PackAhead(Storage& storage, std::vector<File> files);
  ~PackAhead();
  PackAhead(const PackAhead&) = delete;
  PackAhead& operator=(const PackAhead&) = delete;

  /// The next file's content; an error when it cannot be read.
  [[nodiscard]] Result<PackedContent> next();

 private:
  void run();
  [[nodiscard]] Result<PackedContent> pack(const File& file);

  Storage& storage_;
  std::vector<File> files_;
  std::mutex guard_;
  std::condition_variable changed_;
  std::deque<Result<PackedContent>> ready_;
  std::uint64_t waiting_ = 0;  // bytes of those that are ready
  bool stopped_ = false;
  std::thread worker_;
};

}  // namespace bayswap
