// The disk as a FAT file system would show it: names fold, some cannot be, and times are coarse.
#pragma once

#include "bayswap/storage.h"
#include "core/bytes/text.h"

namespace bayswap::test {

class FatStorage final : public Storage {
 public:
  /// `fat`: whether it says so; else it only folds names.
  explicit FatStorage(bool fat) : fat_(fat) {}

  bool is_fat(const Path&) override { return fat_; }
  Result<FileInfo> info(const Path& path) override { return disk().info(real(path)); }
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    return disk().view(real(path), limit);
  }
  Result<std::vector<std::string>> list(const Path& folder) override {
    return disk().list(real(folder));
  }
  Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override {
    if (fat_ && path.filename().string().find_first_of("\"*:<>?\\|") != std::string::npos)
      return fail(Trouble::place, Code::place_failed, path.string() + ": no FAT name");
    auto done = disk().create(real(path), bytes, mode);
    return done ? coarse(path) : done;
  }
  Result<void> rename(const Path& from, const Path& to) override {
    return disk().rename(real(from), real(to));
  }
  Result<void> remove(const Path& path) override { return disk().remove(real(path)); }
  Result<void> make_folder(const Path& path) override { return disk().make_folder(real(path)); }
  Result<void> remove_folder(const Path& path) override { return disk().remove_folder(real(path)); }
  Result<void> set_modified(const Path& path, std::int64_t time) override {
    return disk().set_modified(real(path), fat_ ? time / kTwoSeconds * kTwoSeconds : time);
  }
  Result<void> flush_folder(const Path& path) override { return disk().flush_folder(real(path)); }

 private:
  static constexpr std::int64_t kTwoSeconds = 2'000'000'000;

  Result<void> coarse(const Path& path) {
    const auto made = disk().info(real(path));
    return made ? set_modified(path, made->modified_ns) : Result<void>{};
  }

  // The name that is there, however its letters are written.
  static Path real(const Path& path) {
    Path found = path.root_path();
    for (const Path& piece : path.relative_path()) {
      Path next = found / piece;
      if (is_missing(disk(), next))
        if (const auto names = disk().list(found))
          for (const std::string& name : *names)
            if (lower_ascii(name) == lower_ascii(piece.string())) next = found / name;
      found = next;
    }
    return found;
  }

  bool fat_;
};

}  // namespace bayswap::test
