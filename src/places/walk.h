// Going through a folder without following links.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/storage.h"

namespace bayswap {

/// Places have hundreds of thousands of files: those of one folder share its text.
class WalkedFile {
 public:
  WalkedFile(std::shared_ptr<const std::string> folder, std::string name, FileInfo about)
      : info(about), folder_(std::move(folder)), name_(std::move(name)) {}

  [[nodiscard]] const std::string& name() const { return name_; }
  [[nodiscard]] std::string_view folder() const { return *folder_; }
  [[nodiscard]] Path path() const { return Path(*folder_) / name_; }
  /// The path as a text.
  [[nodiscard]] std::string text() const { return path().native(); }

  FileInfo info;

 private:
  std::shared_ptr<const std::string> folder_;
  std::string name_;
};

/// The regular files of a folder, and of all folders below it, in the order of names. Links,
/// unreadable folders and Bay Swap's own unfinished files are passed over. Two threads list.
/// `unreadable`, where it is given, is told which folders could not be listed, and why.
[[nodiscard]] std::vector<WalkedFile> files_below(Storage& storage, const Path& folder,
                                                  bool below = true,
                                                  std::vector<Error>* unreadable = nullptr);

/// Everything below a folder.
struct FolderTree {
  std::vector<WalkedFile> files;  ///< in the order of names
  std::vector<Path> folders;      ///< parents first; without the folder itself
  std::vector<Path> others;       ///< links, devices, and what Bay Swap has left unfinished
};

/// For those who must not miss anything. Errors: `unreadable` when any folder can't be listed.
[[nodiscard]] Result<FolderTree> all_below(Storage& storage, const Path& folder);

/// The same where only files and folders may be. Errors: `link` for anything else.
[[nodiscard]] Result<FolderTree> whole_tree(Storage& storage, const Path& folder);

/// Calls `visit` for each of them.
void walk_files(Storage& storage, const Path& folder, bool below,
                const std::function<void(const Path&, const FileInfo&)>& visit);

/// The text of a file's folder, without the cost of a path of its own.
[[nodiscard]] std::string_view folder_text(const Path& file);

/// The part of a path below a folder that it begins with.
[[nodiscard]] std::string below(const Path& folder, const Path& path);
/// The same of their texts.
[[nodiscard]] std::string text_below(const std::string& folder, const std::string& path);

}  // namespace bayswap
