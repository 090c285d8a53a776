#include "places/walk.h"

#include <fmt/core.h>

#include <algorithm>
#include <optional>

#include "core/bytes/text.h"
#include "files/two_threads.h"

namespace bayswap {
namespace {

// One folder of a walk: what is walked of it, in the order of names.
struct WalkedFolder {
  std::shared_ptr<const std::string> path;
  std::vector<WalkedFile> entries;
  std::vector<std::size_t> inner;  // places of the folders among the entries, in their order
  std::optional<Error> problem;
};

std::shared_ptr<const std::string> shared_text(const Path& path) {
  return std::make_shared<const std::string>(path.native());
}

void read_folder(Storage& storage, WalkedFolder& folder) {
  const auto entries = storage.entries(*folder.path);
  if (!entries) {
    folder.problem = entries.error();
    return;
  }
  folder.entries.reserve(entries->size());
  for (const auto& [name, info] : *entries)
    if (!name.starts_with(".bayswap-") &&
        (info.type == FileType::file || info.type == FileType::folder))
      folder.entries.emplace_back(folder.path, name, info);
}

void hand_on(std::vector<WalkedFolder>& folders, std::size_t place,
             std::vector<WalkedFile>& files) {
  std::size_t next = 0;
  for (WalkedFile& entry : folders[place].entries) {
    if (entry.info.type == FileType::file)
      files.push_back(std::move(entry));
    else if (next < folders[place].inner.size())
      hand_on(folders, folders[place].inner[next++], files);
  }
}

}  // namespace

std::vector<WalkedFile> files_below(Storage& storage, const Path& folder, bool below,
                                    std::vector<Error>* unreadable) {
  std::vector<WalkedFolder> folders;
  folders.push_back({shared_text(folder), {}, {}, {}});
  std::size_t first = 0;
  while (first < folders.size()) {
    const std::size_t last = folders.size();
    on_two_threads(last - first, [&](std::size_t i) { read_folder(storage, folders[first + i]); });
    for (std::size_t i = first; i < last && below; ++i)
      for (std::size_t k = 0; k < folders[i].entries.size(); ++k)
        if (folders[i].entries[k].info.type == FileType::folder) {
          folders[i].inner.push_back(folders.size());
          folders.push_back({shared_text(folders[i].entries[k].path()), {}, {}, {}});
        }
    first = last;
  }
  std::vector<WalkedFile> files;
  std::size_t count = 0;
  for (const WalkedFolder& found : folders) {
    count += found.entries.size();
    if (found.problem && unreadable != nullptr) unreadable->push_back(*found.problem);
  }
  files.reserve(count);
  hand_on(folders, 0, files);
  return files;
}

Result<FolderTree> all_below(Storage& storage, const Path& folder) {
  FolderTree tree;
  std::vector<Path> left{folder};
  while (!left.empty()) {
    const Path at = std::move(left.back());
    left.pop_back();
    const auto entries = storage.entries(at);
    if (!entries) return tl::unexpected(entries.error());
    const auto text = shared_text(at);
    for (const auto& [name, info] : *entries) {
      const bool ours = name.starts_with(".bayswap-");
      if (info.type == FileType::file && !ours) {
        tree.files.emplace_back(text, name, info);
      } else if (info.type == FileType::folder && !ours) {
        tree.folders.push_back(at / name);
        left.push_back(at / name);
      } else {
        tree.others.push_back(at / name);
      }
    }
  }
  std::ranges::sort(tree.files, {}, &WalkedFile::path);
  std::ranges::sort(tree.folders);
  return tree;
}

Result<FolderTree> whole_tree(Storage& storage, const Path& folder) {
  auto tree = all_below(storage, folder);
  if (!tree || tree->others.empty()) return tree;
  return fail(
      Trouble::stopped, Code::link,
      fmt::format("{}: is a link, a device or a leftover inside of the folder that would be "
                  "replaced",
                  safe_text(tree->others.front().string())),
      "Bay Swap replaces plain files only; move it aside, then try again");
}

std::string_view folder_text(const Path& file) {
  const std::string_view text = file.native();
  const std::size_t slash = text.rfind('/');
  return text.substr(0, slash == std::string_view::npos ? 0 : slash);
}

std::string below(const Path& folder, const Path& path) {
  return text_below(folder.native(), path.native());
}

std::string text_below(const std::string& folder, const std::string& path) {
  const bool plain =
      path.size() > folder.size() + 1 && path.starts_with(folder) && path[folder.size()] == '/';
  return plain ? path.substr(folder.size() + 1)
               : Path(path).lexically_relative(folder).generic_string();
}

void walk_files(Storage& storage, const Path& folder, bool below,
                const std::function<void(const Path&, const FileInfo&)>& visit) {
  for (const WalkedFile& file : files_below(storage, folder, below)) visit(file.path(), file.info);
}

}  // namespace bayswap
