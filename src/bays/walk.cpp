#include "bays/walk.h"

namespace bayswap {
namespace {

constexpr int kDeepest = 64;

void walk(Storage& storage, const Path& folder, int depth,
          const std::function<void(const Path&, const FileInfo&)>& visit) {
  const auto entries = storage.entries(folder);
  if (!entries) return;
  for (const auto& [name, info] : *entries) {
    if (name.starts_with(".bayswap-")) continue;
    if (info.type == FileType::file) visit(folder / name, info);
    if (info.type == FileType::folder && depth > 0) walk(storage, folder / name, depth - 1, visit);
  }
}

}  // namespace

std::vector<WalkedFile> files_below(Storage& storage, const Path& folder, bool below) {
  std::vector<WalkedFile> files;
  walk_files(storage, folder, below, [&](const Path& path, const FileInfo& info) {
    files.push_back({path, info});
  });
  return files;
}

std::string_view folder_text(const Path& file) {
  const std::string_view text = file.native();
  const std::size_t slash = text.rfind('/');
  return text.substr(0, slash == std::string_view::npos ? 0 : slash);
}

std::string below(const Path& folder, const Path& path) {
  const std::string& whole = path.native();
  const std::string& start = folder.native();
  const bool plain =
      whole.size() > start.size() + 1 && whole.starts_with(start) && whole[start.size()] == '/';
  return plain ? whole.substr(start.size() + 1) : path.lexically_relative(folder).generic_string();
}

void walk_files(Storage& storage, const Path& folder, bool below,
                const std::function<void(const Path&, const FileInfo&)>& visit) {
  walk(storage, folder, below ? kDeepest : 0, visit);
}

}  // namespace bayswap
