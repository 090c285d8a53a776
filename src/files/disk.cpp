// The storage port on POSIX calls.
#include <dirent.h>
#include <fcntl.h>
#include <fmt/core.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/sysmacros.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <future>
#include <memory>
#include <span>

#include "bayswap/storage.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/copy_file.h"
#include "files/descriptor.h"
#include "files/file_attributes.h"
#include "files/open_files.h"
#include "files/version_digest.h"
#include "files/work_file.h"

namespace bayswap {
namespace {

constexpr std::size_t kStreamPiece = 1U << 20U;
constexpr std::size_t kComparePiece = 1U << 18U;  // stays in the processor's cache

FileInfo info_of(const struct stat& status) {
  FileInfo info;
  info.type = S_ISREG(status.st_mode)   ? FileType::file
              : S_ISDIR(status.st_mode) ? FileType::folder
              : S_ISLNK(status.st_mode) ? FileType::link
                                        : FileType::other;
  info.size = static_cast<std::uint64_t>(status.st_size);
  info.modified_ns = std::int64_t{status.st_mtim.tv_sec} * 1'000'000'000 + status.st_mtim.tv_nsec;
  info.changed_ns = std::int64_t{status.st_ctim.tv_sec} * 1'000'000'000 + status.st_ctim.tv_nsec;
  info.mode = status.st_mode & 07777U;
  info.inode = status.st_ino;
  info.links = status.st_nlink;
  info.own = status.st_uid == ::geteuid() || ::geteuid() == 0;
  return info;
}

// As much as the buffer takes; nothing at the end of the file.
Result<ByteView> read_some(const Descriptor& file, const Path& path, std::span<std::byte> buffer) {
  std::size_t done = 0;
  while (done < buffer.size()) {
    const ssize_t got = ::read(file.get(), buffer.data() + done, buffer.size() - done);
    if (got < 0 && errno == EINTR) continue;
    if (got < 0) return read_error(path, errno);
    if (got == 0) break;
    done += static_cast<std::size_t>(got);
  }
  return ByteView(buffer.first(done));
}

bool same_range(const Descriptor& a, const Descriptor& b, std::uint64_t from, std::uint64_t to) {
  Bytes one(kComparePiece);
  Bytes other(kComparePiece);
  for (std::uint64_t at = from; at < to;) {
    const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(kComparePiece, to - at));
    const auto left = std::span(one).first(length);
    const auto right = std::span(other).first(length);
    if (!read_at(a, left, at) || !read_at(b, right, at) || !same_bytes(left, right)) return false;
    at += length;
  }
  return true;
}

bool write_all(int fd, ByteView bytes) {
  while (!bytes.empty()) {
    const ssize_t put = ::write(fd, bytes.data(), bytes.size());
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0) return false;
    bytes = bytes.subspan(static_cast<std::size_t>(put));
  }
  return true;
}

class OpenFile final : public TakenOut {
 public:
  explicit OpenFile(const Path& path)
      : path_(path), file_(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK)) {}
  [[nodiscard]] bool is_open() const { return file_.open(); }

  Result<FileInfo> info() override {
    struct stat status {};
    if (::fstat(file_.get(), &status) != 0) return read_error(path_, errno);
    return info_of(status);
  }

  Result<void> stream(std::size_t piece, const std::function<bool(ByteView)>& take) override {
    if (::lseek(file_.get(), 0, SEEK_SET) != 0) return read_error(path_, errno);
    Bytes buffer(piece);
    while (true) {
      const auto got = read_some(file_, path_, buffer);
      if (!got) return tl::unexpected(got.error());
      if (got->empty() || !take(*got)) return {};
    }
  }

 private:
  Path path_;
  Descriptor file_;
};

class Disk final : public Storage {
 public:
  Result<FileInfo> info(const Path& path) override {
    struct stat status {};
    if (::lstat(path.c_str(), &status) != 0) return read_error(path, errno);
    return info_of(status);
  }

  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    const Descriptor file = open_to_read(path);
    const auto size = size_of(file, path, limit);
    if (!size) return tl::unexpected(size.error());
    const auto length = static_cast<std::size_t>(*size);
    const auto buffer = std::make_shared_for_overwrite<std::byte[]>(length);
    const auto bytes = read_some(file, path, std::span(buffer.get(), length));
    if (!bytes) return tl::unexpected(bytes.error());
    return FileView(*bytes, buffer);
  }

  Result<Bytes> read(const Path& path, std::uint64_t limit) override {
    const Descriptor file = open_to_read(path);
    const auto size = size_of(file, path, limit);
    if (!size) return tl::unexpected(size.error());
    Bytes bytes(static_cast<std::size_t>(*size));
    const auto got = read_some(file, path, bytes);
    if (!got) return tl::unexpected(got.error());
    bytes.resize(got->size());
    return bytes;
  }

  Result<std::optional<FileView>> view_if(const Path& path, const FileInfo& walked,
                                          std::size_t first,
                                          const std::function<bool(ByteView)>& wanted) override {
    if (walked.type != FileType::file || walked.size > kSaveLimit)
      return Storage::view_if(path, walked, first, wanted);
    // What has taken the file's place since may be of any kind or size, and is read as far as the
    // file went.
    const Descriptor file = open_to_read(path);
    if (!file.open()) return read_error(path, errno);
    const auto length = static_cast<std::size_t>(walked.size);
    std::array<std::byte, 512> few;
    Bytes many;
    std::span<std::byte> head(few);
    if (first > few.size()) {
      many.resize(std::min(first, length));
      head = many;
    }
    const auto start = read_some(file, path, head.first(std::min({first, length, head.size()})));
    if (!start) return tl::unexpected(start.error());
    if (wanted && !wanted(*start)) return std::nullopt;
    const auto buffer = std::make_shared_for_overwrite<std::byte[]>(length);
    const std::span<std::byte> room(buffer.get(), length);
    std::ranges::copy(*start, room.begin());
    const auto rest = read_some(file, path, room.subspan(start->size()));
    if (!rest) return tl::unexpected(rest.error());
    return FileView(room.first(start->size() + rest->size()), buffer);
  }

  Result<FileView> view_start(const Path& path, std::uint64_t limit) override {
    const Descriptor file = open_to_read(path);
    const auto size = size_of(file, path, kNoLimit);
    if (!size) return tl::unexpected(size.error());
    const auto length = static_cast<std::size_t>(std::min(*size, limit));
    const auto buffer = std::make_shared_for_overwrite<std::byte[]>(length);
    const auto bytes = read_some(file, path, std::span(buffer.get(), length));
    if (!bytes) return tl::unexpected(bytes.error());
    return FileView(*bytes, buffer);
  }

  Result<std::vector<std::string>> list(const Path& folder) override {
    DIR* handle = ::opendir(folder.c_str());
    if (handle == nullptr) return read_error(folder, errno);
    std::vector<std::string> names;
    while (const dirent* entry = ::readdir(handle)) {
      const std::string_view name = entry->d_name;
      if (name != "." && name != "..") names.emplace_back(name);
    }
    ::closedir(handle);
    std::sort(names.begin(), names.end());
    return names;
  }

  Result<std::vector<NamedInfo>> entries(const Path& folder) override {
    const std::unique_ptr<DIR, int (*)(DIR*)> handle(::opendir(folder.c_str()), ::closedir);
    if (handle == nullptr) return read_error(folder, errno);
    std::vector<NamedInfo> found;
    struct stat status {};
    while (const dirent* entry = ::readdir(handle.get())) {
      const std::string_view name = entry->d_name;
      if (name == "." || name == "..") continue;
      if (::fstatat(::dirfd(handle.get()), entry->d_name, &status, AT_SYMLINK_NOFOLLOW) != 0) {
        if (errno == ENOENT) continue;  // it went meanwhile
        return read_error(folder / std::string(name), errno);
      }
      found.push_back({std::string(name), info_of(status)});
    }
    std::ranges::sort(found, {}, &NamedInfo::name);
    return found;
  }

  Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override {
    return create_from(path, mode, [&](const ByteSink& sink) {
      (void)sink(bytes);
      return Result<void>{};
    });
  }

  std::int64_t born_ns(const Path& path) override {
    struct statx status {};
    if (::statx(AT_FDCWD, path.c_str(), AT_SYMLINK_NOFOLLOW, STATX_BTIME, &status) != 0 ||
        (status.stx_mask & STATX_BTIME) == 0)
      return 0;
    return status.stx_btime.tv_sec * 1'000'000'000 + status.stx_btime.tv_nsec;
  }

  std::optional<std::uint64_t> free_space(const Path& path) override {
    Path at = path;
    while (at.has_relative_path() && is_missing(*this, at)) at = at.parent_path();
    struct statvfs status {};
    if (::statvfs(at.empty() ? "." : at.c_str(), &status) != 0 || status.f_blocks == 0)
      return std::nullopt;
    return std::uint64_t{status.f_bavail} * status.f_frsize;
  }

  bool is_removable(const Path& path) override {
    struct stat status {};
    if (::stat(path.c_str(), &status) != 0) return false;
    // The device, or the whole disk that it is a part of.
    const std::string device =
        fmt::format("/sys/dev/block/{}:{}", major(status.st_dev), minor(status.st_dev));
    for (const char* place : {"/removable", "/../removable"}) {
      std::ifstream file(device + place);
      char answer = '0';
      if (file >> answer && answer == '1') return true;
    }
    return is_fat(path);
  }

  bool is_mount_point(const Path& folder) override {
    struct stat own {};
    struct stat above {};
    return ::stat(folder.c_str(), &own) == 0 && ::stat((folder / "..").c_str(), &above) == 0 &&
           (own.st_dev != above.st_dev || own.st_ino == above.st_ino);
  }

  Result<void> flush_medium(const Path& path) override {
    const Descriptor place(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    if (!place.open() || ::syncfs(place.get()) != 0) return write_error(path, errno);
    return {};
  }

  std::string writer_of(const Path& path) override { return writer_of_file(path); }

  bool is_fat(const Path& path) override {
    constexpr std::array<std::uint32_t, 2> kFat{0x4D44, 0x2011BAB0};  // as the kernel numbers them
    struct statfs status {};
    return ::statfs(path.c_str(), &status) == 0 &&
           std::ranges::find(kFat, static_cast<std::uint32_t>(status.f_type)) != kFat.end();
  }

  Result<Digest> copy(const Path& from, const Path& to, std::uint32_t mode,
                      const CopyProgress& progress) override {
    return copy_file(from, to, mode, progress);
  }

  Result<Digest> digest(const Path& path) override {
    const auto seen = info(path);
    if (!seen) return tl::unexpected(seen.error());
    VersionHasher hasher(seen->size);
    const auto read = stream(path, kStreamPiece, [&](ByteView piece) {
      hasher.add(piece);
      return true;
    });
    if (!read) return tl::unexpected(read.error());
    return hasher.finish();
  }

  Result<bool> same(const Path& a, const Path& b) override {
    const Descriptor first = open_to_read(a);
    const Descriptor second = open_to_read(b);
    const auto size = size_of(first, a, kNoLimit);
    if (!size) return tl::unexpected(size.error());
    const auto other = size_of(second, b, kNoLimit);
    if (!other) return tl::unexpected(other.error());
    if (*size != *other) return false;
    // Two halves at once: this is work for the processor, not for the medium.
    const std::uint64_t middle = *size / 2 / kComparePiece * kComparePiece;
    std::future<bool> front =
        std::async(std::launch::async, [&] { return same_range(first, second, 0, middle); });
    const bool back = same_range(first, second, middle, *size);
    return front.get() && back;
  }

  Result<void> stream(const Path& path, std::size_t piece,
                      const std::function<bool(ByteView)>& take) override {
    const Descriptor file = open_to_read(path);
    if (const auto size = size_of(file, path, kNoLimit); !size) return tl::unexpected(size.error());
    Bytes buffer(piece);
    while (true) {
      const auto got = read_some(file, path, buffer);
      if (!got) return tl::unexpected(got.error());
      if (got->empty() || !take(*got)) return {};
    }
  }

  Result<void> rename(const Path& from, const Path& to) override {
    return done(::rename(from.c_str(), to.c_str()), to);
  }
  Result<void> remove(const Path& path) override { return done(::unlink(path.c_str()), path); }
  Result<void> make_folder(const Path& path) override {
    return done(::mkdir(path.c_str(), 0777), path);
  }
  Result<void> remove_folder(const Path& path) override {
    return done(::rmdir(path.c_str()), path);
  }

  Result<void> set_modified(const Path& path, std::int64_t modified_ns) override {
    std::int64_t seconds = modified_ns / 1'000'000'000;
    std::int64_t rest = modified_ns % 1'000'000'000;
    if (rest < 0) {
      rest += 1'000'000'000;
      --seconds;
    }
    const timespec times[2] = {{0, UTIME_OMIT},
                               {static_cast<time_t>(seconds), static_cast<long>(rest)}};
    return done(::utimensat(AT_FDCWD, path.c_str(), times, AT_SYMLINK_NOFOLLOW), path);
  }

  Result<void> flush_folder(const Path& path) override {
    const Descriptor folder(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!folder.open()) return write_error(path, errno);
    // Some file systems cannot flush folders and say so with EINVAL.
    if (::fsync(folder.get()) != 0 && errno != EINVAL) return write_error(path, errno);
    return {};
  }

  Result<void> rename_new(const Path& from, const Path& to) override {
    if (::renameat2(AT_FDCWD, from.c_str(), AT_FDCWD, to.c_str(), RENAME_NOREPLACE) == 0) return {};
    if (errno == EEXIST) return name_exists(to);
    if (errno != EINVAL && errno != ENOSYS) return write_error(to, errno);
    return Storage::rename_new(from, to);  // a file system without this kind of renaming
  }

  Result<bool> exchange(const Path& a, const Path& b) override {
    if (::renameat2(AT_FDCWD, a.c_str(), AT_FDCWD, b.c_str(), RENAME_EXCHANGE) == 0) return true;
    if (errno == EINVAL || errno == ENOSYS) return false;
    return write_error(b, errno);
  }

  Result<bool> link(const Path& file, const Path& name) override {
    if (::linkat(AT_FDCWD, file.c_str(), AT_FDCWD, name.c_str(), 0) == 0) return true;
    // Some file systems have no second names, and some systems allow them to owners only.
    if (errno == EPERM || errno == EOPNOTSUPP || errno == ENOSYS || errno == EMLINK ||
        errno == EACCES)
      return false;
    return write_error(name, errno);
  }

  Result<std::unique_ptr<TakenOut>> take_out(const Path& file) override {
    auto open = std::make_unique<OpenFile>(file);
    if (!open->is_open()) return read_error(file, errno);
    if (::unlink(file.c_str()) != 0) return write_error(file, errno);
    return std::unique_ptr<TakenOut>(std::move(open));
  }

  Result<void> create_from(const Path& path, std::uint32_t mode,
                           const std::function<Result<void>(const ByteSink&)>& fill) override {
    NewFile made(path, mode);
    if (!made.file().open()) return write_error(path, errno);
    int problem = 0;
    auto filled = fill([&](ByteView piece) {
      if (write_all(made.file().get(), piece)) return true;
      problem = errno;
      return false;
    });
    if (problem != 0) filled = write_error(path, problem);
    if (filled) return made.finish();
    made.drop();
    return filled;
  }

  Result<std::unique_ptr<WorkFile>> open_work_file(const Path& path) override {
    return open_file_to_fill(path);
  }

  Result<void> make_private_folder(const Path& path) override {
    return done(::mkdir(path.c_str(), 0700), path);
  }

  Result<void> set_mode(const Path& path, std::uint32_t mode) override {
    const int result = ::fchmodat(AT_FDCWD, path.c_str(), static_cast<mode_t>(mode), 0);
    // File systems without permissions refuse to keep them; the file is fine all the same.
    if (result != 0 && (errno == EPERM || errno == EOPNOTSUPP)) return {};
    return done(result, path);
  }

  std::vector<std::string> copy_attributes(const Path& from, const Path& to) override {
    return copy_file_attributes(from, to);
  }

  std::string identity(const Path& folder) override {
    struct stat status {};
    struct statfs system {};
    if (::stat(folder.c_str(), &status) != 0 || ::statfs(folder.c_str(), &system) != 0) return {};
    std::array<std::uint32_t, 2> id{};
    static_assert(sizeof id == sizeof system.f_fsid);
    std::memcpy(id.data(), &system.f_fsid, sizeof id);
    return fmt::format("{:08x}{:08x}-{}", id[0], id[1], status.st_ino);
  }

 private:
  static Result<void> done(int result, const Path& path) {
    if (result != 0) return write_error(path, errno);
    return {};
  }
};

Path folder_from(const char* variable, const Path& fallback) {
  const char* value = std::getenv(variable);
  // The base directory rules say that relative values are to be ignored.
  if (value != nullptr && *value == '/') return Path(value);
  return fallback;
}

}  // namespace

Storage& disk() {
  static Disk instance;
  return instance;
}

Result<Places> Places::from_environment() {
  const char* home = std::getenv("HOME");
  const Path base = home == nullptr ? Path() : Path(home);
  const Path config = folder_from("XDG_CONFIG_HOME", base.empty() ? base : base / ".config");
  const Path data = folder_from("XDG_DATA_HOME", base.empty() ? base : base / ".local/share");
  if (config.empty() || data.empty())
    return fail(Trouble::input, Code::no_home, "neither HOME nor the XDG folders are set",
                "set HOME, or XDG_CONFIG_HOME and XDG_DATA_HOME");
  return Places{config / "bayswap", data / "bayswap"};
}

}  // namespace bayswap
