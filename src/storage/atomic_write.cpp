#include "storage/atomic_write.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>

#include "bytes/text.h"

namespace bayswap {

Result<std::vector<Path>> make_folders(Storage& storage, const Path& folder) {
  std::vector<Path> missing;
  for (Path at = folder; !at.empty() && is_missing(storage, at); at = at.parent_path())
    missing.push_back(at);
  std::reverse(missing.begin(), missing.end());
  std::vector<Path> ours;
  for (const Path& path : missing) {
    const auto made = storage.make_folder(path);
    if (made) {
      ours.push_back(path);
      continue;
    }
    // Where another run was faster, the folder is there, and is not ours to take back.
    const auto info = storage.info(path);
    if (!info || info->type != FileType::folder) return tl::unexpected(made.error());
  }
  return ours;
}

Path beside(const Path& path, const std::string& tag) {
  // Long names leave no room for a tag, so the stand-in does not repeat the name.
  return path.parent_path() / (".bayswap-" + tag);
}

std::vector<Path> folders_below(Storage& storage, const Path& folder) {
  constexpr std::size_t kMost = 100'000;
  std::vector<Path> found{folder};
  for (std::size_t i = 0; i < found.size() && found.size() < kMost; ++i) {
    const auto entries = storage.entries(found[i]);
    if (!entries) continue;
    for (const auto& [name, info] : *entries)
      if (info.type == FileType::folder) found.push_back(found[i] / name);
  }
  found.erase(found.begin());
  return found;
}

Result<void> remove_tree(Storage& storage, const Path& folder) {
  std::vector<Path> folders = folders_below(storage, folder);
  folders.insert(folders.begin(), folder);
  for (std::size_t i = folders.size(); i-- > 0;) {
    const auto names = storage.list(folders[i]);
    if (!names) return tl::unexpected(names.error());
    for (const std::string& name : *names)
      if (auto removed = storage.remove(folders[i] / name); !removed) return removed;
    if (auto removed = storage.remove_folder(folders[i]); !removed) return removed;
  }
  return {};
}

Error output_exists(const Path& path) {
  return {Trouble::stopped, "name-taken",
          fmt::format("{}: exists already and was left as it is", safe_text(path.string())),
          "choose another output, or add --replace"};
}

Error place_changed(const Path& path) {
  return {Trouble::stopped, "in-use",
          fmt::format("{}: changed while it was being carried", safe_text(path.string())),
          "close the program that uses it, wait a moment, and try again"};
}

Error read_differently(const Path& path) {
  return {Trouble::read_back, "read-back",
          fmt::format("{}: what was written read back differently", safe_text(path.string())),
          "the old content is back; check the disk or card, it may be failing"};
}

Path free_name(Storage& storage, const std::string& path) {
  Path free = path;
  for (int number = 2; !is_missing(storage, free); ++number)
    free = path + "-" + std::to_string(number);
  return free;
}

bool lies_in(const Path& folder, const Path& path) {
  return text_lies_in(folder.native(), path.native());
}

bool text_lies_in(std::string_view folder, std::string_view path) {
  // Asked of every file of large places: without a path for each of their names.
  const auto next = [](std::string_view& rest) {
    rest.remove_prefix(std::min(rest.find_first_not_of('/'), rest.size()));
    const std::string_view name = rest.substr(0, rest.find('/'));
    rest.remove_prefix(name.size());
    return name;
  };
  if (folder.starts_with('/') != path.starts_with('/')) return false;
  for (std::string_view name = next(folder); !name.empty(); name = next(folder))
    if (next(path) != name) return false;
  return true;
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
