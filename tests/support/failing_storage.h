// The disk, with one operation that fails, with no room left, or with power that goes away.
#pragma once

#include <functional>
#include <memory>

#include "bayswap/storage.h"

namespace bayswap::test {

class FailingStorage : public Storage {
 public:
  enum class Fault { error, full, half, power_loss };
  static constexpr Fault kFaults[] = {Fault::error, Fault::full, Fault::half, Fault::power_loss};
  /// The `at`-th changing operation (from 1) fails. On a full disk, all later ones that need room
  /// fail too, after a power loss all; `half` leaves half of the file behind, as does power.
  FailingStorage(std::size_t at, Fault fault) : at_(at), fault_(fault) {}
  /// Fails from the moment on when something else says that the power is gone.
  explicit FailingStorage(std::function<bool()> power_is_lost)
      : at_(0), fault_(Fault::power_loss), power_is_lost_(std::move(power_is_lost)) {}

  [[nodiscard]] std::size_t operations() const { return count_; }
  [[nodiscard]] bool failed() const { return failed_; }

  Result<FileInfo> info(const Path& path) override { return disk().info(path); }
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    return disk().view(path, limit);
  }
  Result<std::vector<std::string>> list(const Path& folder) override { return disk().list(folder); }
  Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override {
    if (fails(true)) {
      if ((fault_ == Fault::power_loss || fault_ == Fault::half) && count_ == at_)
        (void)disk().create(path, bytes.first(bytes.size() / 2), mode);
      return broken(path);
    }
    return disk().create(path, bytes, mode);
  }
  Result<std::unique_ptr<WorkFile>> open_work_file(const Path& path) override {
    if (fails(true)) return tl::unexpected(broken(path).error());
    auto file = disk().open_work_file(path);
    if (!file) return file;
    return std::unique_ptr<WorkFile>(std::make_unique<FailingFile>(*this, path, std::move(*file)));
  }
  Result<void> rename(const Path& from, const Path& to) override {
    return fails() ? broken(to) : disk().rename(from, to);
  }
  Result<void> remove(const Path& path) override {
    return fails() ? broken(path) : disk().remove(path);
  }
  Result<void> make_folder(const Path& path) override {
    return fails(true) ? broken(path) : disk().make_folder(path);
  }
  Result<void> remove_folder(const Path& path) override {
    return fails() ? broken(path) : disk().remove_folder(path);
  }
  Result<void> set_modified(const Path& path, std::int64_t time) override {
    return fails() ? broken(path) : disk().set_modified(path, time);
  }
  Result<void> flush_folder(const Path& path) override {
    return fails() ? broken(path) : disk().flush_folder(path);
  }
  Result<void> rename_new(const Path& from, const Path& to) override {
    return fails() ? broken(to) : disk().rename_new(from, to);
  }
  Result<bool> exchange(const Path& a, const Path& b) override {
    if (plain_) return false;
    if (fails()) return tl::unexpected(broken(b).error());
    return disk().exchange(a, b);
  }
  Result<bool> link(const Path& file, const Path& name) override {
    if (plain_) return false;
    if (fails(true)) return tl::unexpected(broken(name).error());
    return disk().link(file, name);
  }
  Result<void> set_mode(const Path& path, std::uint32_t mode) override {
    return disk().set_mode(path, mode);
  }
  std::vector<std::string> copy_attributes(const Path& from, const Path& to) override {
    return disk().copy_attributes(from, to);
  }
  std::string identity(const Path& folder) override { return disk().identity(folder); }

  /// From now on a file system that can neither swap names in one step nor have second names.
  void be_plain() { plain_ = true; }

 private:
  // Half of what is put is there when it fails.
  class FailingFile final : public WorkFile {
   public:
    FailingFile(FailingStorage& storage, Path path, std::unique_ptr<WorkFile> file)
        : storage_(storage), path_(std::move(path)), file_(std::move(file)) {}
    Result<std::uint64_t> size() override { return file_->size(); }
    Result<void> put(std::uint64_t at, ByteView bytes) override {
      if (!storage_.fails(true)) return file_->put(at, bytes);
      (void)file_->put(at, bytes.first(bytes.size() / 2));
      return broken(path_);
    }
    Result<void> get(std::uint64_t at, std::span<std::byte> into) override {
      return file_->get(at, into);
    }
    Result<void> flush() override { return storage_.fails() ? broken(path_) : file_->flush(); }

   private:
    FailingStorage& storage_;
    Path path_;
    std::unique_ptr<WorkFile> file_;
  };

  bool fails(bool needs_room = false) {
    ++count_;
    const bool later = count_ > at_ && at_ > 0;
    const bool now = power_is_lost_                ? power_is_lost_()
                     : fault_ == Fault::full       ? (count_ == at_ || later) && needs_room
                     : fault_ == Fault::power_loss ? count_ == at_ || later
                                                   : count_ == at_;
    failed_ = failed_ || now;
    return now;
  }
  static Result<void> broken(const Path& path) {
    return fail(Trouble::place, Code::place_failed, path.string() + ": made to fail");
  }

  std::size_t at_;
  Fault fault_;
  std::function<bool()> power_is_lost_;
  std::size_t count_ = 0;
  bool failed_ = false;
  bool plain_ = false;
};

}  // namespace bayswap::test
