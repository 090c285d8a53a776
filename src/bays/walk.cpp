#include "bays/walk.h"

namespace bayswap {
namespace {

constexpr int kDeepest = 64;

void walk(Storage& storage, const Path& folder, int depth,
          const std::function<void(const Path&, const FileInfo&)>& visit) {
  const auto names = storage.list(folder);
  if (!names) return;
  for (const std::string& name : *names) {
    if (name.starts_with(".bayswap-")) continue;
    const Path path = folder / name;
    const auto info = storage.info(path);
    if (!info) continue;
    if (info->type == FileType::file) visit(path, *info);
    if (info->type == FileType::folder && depth > 0) walk(storage, path, depth - 1, visit);
  }
}

}  // namespace

void walk_files(Storage& storage, const Path& folder, bool below,
                const std::function<void(const Path&, const FileInfo&)>& visit) {
  walk(storage, folder, below ? kDeepest : 0, visit);
}

}  // namespace bayswap
