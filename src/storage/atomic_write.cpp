#include "storage/atomic_write.h"

#include <unistd.h>

#include <algorithm>

namespace bayswap {

Result<std::vector<Path>> make_folders(Storage& storage, const Path& folder) {
  std::vector<Path> missing;
  for (Path at = folder; !at.empty() && is_missing(storage, at); at = at.parent_path())
    missing.push_back(at);
  std::reverse(missing.begin(), missing.end());
  for (const Path& path : missing)
    if (auto made = storage.make_folder(path); !made) return tl::unexpected(made.error());
  return missing;
}

Path beside(const Path& path, const std::string& tag) {
  // Long names leave no room for a tag, so the stand-in does not repeat the name.
  return path.parent_path() / (".bayswap-" + tag);
}

Result<void> replace_file(Storage& storage, const Path& path, ByteView bytes) {
  const Path folder = path.has_parent_path() ? path.parent_path() : Path(".");
  if (auto made = make_folders(storage, folder); !made) return tl::unexpected(made.error());
  const Path temporary = beside(path, "new-" + std::to_string(::getpid()));
  (void)storage.remove(temporary);
  constexpr std::uint32_t kMode = 0644;
  if (auto made = storage.create(temporary, bytes, kMode); !made) return made;
  if (auto moved = storage.rename(temporary, path); !moved) {
    (void)storage.remove(temporary);
    return moved;
  }
  return storage.flush_folder(folder);
}

}  // namespace bayswap
