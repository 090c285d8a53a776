// Notices changes of files below folders, as far as the system tells of them.
#pragma once

#include <chrono>
#include <map>
#include <memory>
#include <set>
#include <vector>

#include "bayswap/storage.h"

namespace bayswap {

/// One thread at a time.
class FolderWatch {
 public:
  FolderWatch();
  ~FolderWatch();
  FolderWatch(const FolderWatch&) = delete;
  FolderWatch& operator=(const FolderWatch&) = delete;

  /// Watches a folder and what is below it. False when the system does not tell of all changes
  /// there: FAT media, network mounts, too many folders, a folder that is not there. It can be
  /// asked again, to watch folders that came later.
  bool add(const Path& folder);

  /// Waits until something changes, at most so long. Gives the files that were written, made,
  /// removed or renamed; none when the time is over. Folders that were made are watched as well.
  std::set<Path> wait(std::chrono::milliseconds most);

 private:
  bool add_one(const Path& folder);

  int descriptor_;
  std::map<int, Path> folders_;  // by watch
};

}  // namespace bayswap
