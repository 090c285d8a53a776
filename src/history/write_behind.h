// A large file that is being written, brought to the medium meanwhile.
#pragma once

#include <condition_variable>
#include <mutex>
#include <thread>

#include "bayswap/storage.h"
#include "files/descriptor.h"

namespace bayswap {

/// While it lives, the system writes what is put into the file, so that flushing it has little left
/// to do. It promises nothing. A database's file must not be locked when it ends: the system lets a
/// program's locks go with any of its descriptors of the file.
class WriteBehind {
 public:
  explicit WriteBehind(const Path& file);
  WriteBehind(const WriteBehind&) = delete;
  WriteBehind& operator=(const WriteBehind&) = delete;
  ~WriteBehind();

 private:
  void run();

  Descriptor file_;
  std::mutex guard_;
  std::condition_variable ended_;
  bool end_ = false;
  std::thread worker_;
};

}  // namespace bayswap
