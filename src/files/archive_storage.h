// Files inside archives as if they lay on the disk: `pack.zip:NAME` can be read wherever a file
// can.
#pragma once

#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>

#include "bayswap/storage.h"

namespace bayswap {

/// Larger archives than `largest` bytes are not opened; what unpacks to more than `contents` bytes
/// is refused. Passes everything on, and adds reading of `ARCHIVE:NAME` paths. Nothing is unpacked
/// to disk, and nothing inside of an archive can be written.
class ArchiveStorage final : public Storage {
 public:
  explicit ArchiveStorage(Storage& inner, std::uint64_t largest = kSaveLimit,
                          std::uint64_t contents = 512ULL << 20U)
      : inner_(inner), largest_(largest), contents_(contents) {}

  [[nodiscard]] Result<FileInfo> info(const Path& path) override;
  [[nodiscard]] Result<FileView> view(const Path& path, std::uint64_t limit) override;
  [[nodiscard]] Result<Bytes> read(const Path& path, std::uint64_t limit) override;
  [[nodiscard]] Result<std::optional<FileView>> view_if(
      const Path& path, const FileInfo& walked, std::size_t first,
      const std::function<bool(ByteView)>& wanted) override;
  [[nodiscard]] Result<FileView> view_start(const Path& path, std::uint64_t limit) override;
  [[nodiscard]] Result<std::vector<std::string>> list(const Path& folder) override;
  [[nodiscard]] Result<std::vector<NamedInfo>> entries(const Path& folder) override;
  [[nodiscard]] Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override;
  [[nodiscard]] bool is_fat(const Path& path) override { return inner_.is_fat(path); }
  [[nodiscard]] std::int64_t born_ns(const Path& path) override { return inner_.born_ns(path); }
  [[nodiscard]] std::optional<std::uint64_t> free_space(const Path& path) override {
    return inner_.free_space(path);
  }
  [[nodiscard]] bool is_removable(const Path& path) override { return inner_.is_removable(path); }
  [[nodiscard]] bool is_mount_point(const Path& folder) override {
    return inner_.is_mount_point(folder);
  }
  [[nodiscard]] Result<void> flush_medium(const Path& path) override {
    return inner_.flush_medium(path);
  }
  [[nodiscard]] std::string writer_of(const Path& path) override { return inner_.writer_of(path); }
  [[nodiscard]] Result<std::array<std::byte, 32>> copy(const Path& from, const Path& to,
                                                       std::uint32_t mode,
                                                       const CopyProgress& progress) override;
  [[nodiscard]] Result<std::array<std::byte, 32>> digest(const Path& path) override;
  [[nodiscard]] Result<bool> same(const Path& a, const Path& b) override;
  [[nodiscard]] Result<void> stream(const Path& path, std::size_t piece,
                                    const std::function<bool(ByteView)>& take) override;
  [[nodiscard]] Result<void> rename(const Path& from, const Path& to) override;
  [[nodiscard]] Result<void> remove(const Path& path) override;
  [[nodiscard]] Result<void> make_folder(const Path& path) override;
  [[nodiscard]] Result<void> remove_folder(const Path& path) override;
  [[nodiscard]] Result<void> set_modified(const Path& path, std::int64_t modified_ns) override;
  [[nodiscard]] Result<void> flush_folder(const Path& path) override;
  [[nodiscard]] Result<void> rename_new(const Path& from, const Path& to) override;
  [[nodiscard]] Result<bool> exchange(const Path& a, const Path& b) override {
    return inner_.exchange(a, b);
  }
  [[nodiscard]] Result<bool> link(const Path& file, const Path& name) override {
    return inner_.link(file, name);
  }
  [[nodiscard]] Result<std::unique_ptr<TakenOut>> take_out(const Path& file) override {
    return inner_.take_out(file);
  }
  [[nodiscard]] Result<std::unique_ptr<WorkFile>> open_work_file(const Path& path) override;
  [[nodiscard]] Result<void> create_from(
      const Path& path, std::uint32_t mode,
      const std::function<Result<void>(const ByteSink&)>& fill) override;
  [[nodiscard]] Result<void> make_private_folder(const Path& path) override {
    return inner_.make_private_folder(path);
  }
  [[nodiscard]] Result<void> set_mode(const Path& path, std::uint32_t mode) override {
    return inner_.set_mode(path, mode);
  }
  [[nodiscard]] std::vector<std::string> copy_attributes(const Path& from,
                                                         const Path& to) override {
    return inner_.copy_attributes(from, to);
  }
  [[nodiscard]] std::string identity(const Path& folder) override {
    return inner_.identity(folder);
  }

 private:
  struct Opened {
    FileInfo info;                 // of the archive
    std::optional<Error> problem;  // why it can't be read
    std::map<std::string, std::pair<std::shared_ptr<const Bytes>, std::int64_t>> files;
  };
  struct Inside {
    std::shared_ptr<const Opened> archive;
    std::string name;  // without slashes at its ends; empty for the archive itself
  };
  [[nodiscard]] Result<std::optional<Inside>> inside_of(const Path& path);
  [[nodiscard]] Result<std::shared_ptr<const Opened>> open(const Path& archive,
                                                           const FileInfo& info);
  [[nodiscard]] Result<void> writable(const Path& path);

  Storage& inner_;
  std::uint64_t largest_;   // bytes of an archive
  std::uint64_t contents_;  // bytes that it may unpack to
  std::mutex opening_;
  std::map<Path, std::shared_ptr<const Opened>> opened_;
};

/// `ARCHIVE:` as the root of what lies inside; paths below it read `ARCHIVE:/NAME`.
[[nodiscard]] Path archive_root(const Path& archive);
/// The same path as people write it: `ARCHIVE:NAME`.
[[nodiscard]] std::string archive_name(const Path& path);

/// The last name in a path, without the archive that it lies in.
[[nodiscard]] std::string inner_name(const Path& path);

}  // namespace bayswap
