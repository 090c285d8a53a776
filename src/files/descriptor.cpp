#include "files/descriptor.h"

#include <fcntl.h>
#include <fmt/core.h>
#include <sys/stat.h>

#include <cerrno>
#include <cstring>

#include "core/bytes/text.h"

namespace bayswap {

std::string name_of(const Path& path) {
  return safe_text(path.string());
}

tl::unexpected<Error> read_error(const Path& path, int number) {
  if (number == ENOENT || number == ENOTDIR)
    return fail(Trouble::input, Code::missing,
                fmt::format("{}: there is no such file", name_of(path)),
                {"check the name; '", Remedy::look, "' shows what a folder holds"});
  return fail(Trouble::input, Code::unreadable,
              fmt::format("{}: cannot be read: {}", name_of(path), std::strerror(number)),
              number == EACCES ? "check who may read it" : "check the disk or card that it is on");
}

tl::unexpected<Error> write_error(const Path& path, int number) {
  const char* hint = "check the place and try again; nothing is lost";
  if (number == ENOSPC) hint = "make room there and try again; nothing is lost";
  if (number == EROFS || number == EACCES || number == EPERM)
    hint = "the place is read-only for you; make it writable and try again";
  return fail(Trouble::place, Code::place_failed,
              fmt::format("{}: cannot be written: {}", name_of(path), std::strerror(number)), hint);
}

namespace {

Descriptor open_nameless(const Path& path, std::uint32_t mode) {
  // Giving it a name goes through the list of a process's open files.
  if (::access("/proc/self/fd", X_OK) != 0) return Descriptor(-1);
  const Path folder = path.has_parent_path() ? path.parent_path() : Path(".");
  return Descriptor(
      ::open(folder.c_str(), O_RDWR | O_TMPFILE | O_CLOEXEC, static_cast<mode_t>(mode)));
}

}  // namespace

NewFile::NewFile(const Path& path, std::uint32_t mode)
    : path_(path), file_(open_nameless(path, mode)) {
  nameless_ = file_.open();
  if (nameless_) return;
  file_ = Descriptor(::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW,
                            static_cast<mode_t>(mode)));
}

Result<void> NewFile::finish() {
  bool fine = ::fsync(file_.get()) == 0;
  if (fine && nameless_) {
    const std::string open = fmt::format("/proc/self/fd/{}", file_.get());
    fine = ::linkat(AT_FDCWD, open.c_str(), AT_FDCWD, path_.c_str(), AT_SYMLINK_FOLLOW) == 0;
  }
  fine = fine && file_.close();
  if (fine) return {};
  const int problem = errno;
  drop();
  return write_error(path_, problem);
}

void NewFile::drop() {
  if (!nameless_ && file_.open()) ::unlink(path_.c_str());
}

Descriptor open_to_read(const Path& path) {
  // O_NONBLOCK: opening a pipe must not wait for its other end.
  return Descriptor(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
}

Result<std::uint64_t> size_of(const Descriptor& file, const Path& path, std::uint64_t limit) {
  if (!file.open()) return read_error(path, errno);
  struct stat status {};
  if (::fstat(file.get(), &status) != 0) return read_error(path, errno);
  if (!S_ISREG(status.st_mode))
    return fail(Trouble::input, Code::unreadable,
                fmt::format("{}: is {}, not a file", name_of(path),
                            S_ISDIR(status.st_mode) ? "a folder" : "a device or pipe"),
                "name a save file");
  const auto size = static_cast<std::uint64_t>(status.st_size);
  if (size > limit)
    return fail(Trouble::input, Code::too_large,
                fmt::format("{}: {} is larger than any save", name_of(path), size_text(size)),
                "name the save itself");
  return size;
}

bool read_at(const Descriptor& file, std::span<std::byte> into, std::uint64_t at) {
  while (!into.empty()) {
    const ssize_t got = ::pread(file.get(), into.data(), into.size(), static_cast<off_t>(at));
    if (got < 0 && errno == EINTR) continue;
    if (got == 0) errno = 0;
    if (got <= 0) return false;
    into = into.subspan(static_cast<std::size_t>(got));
    at += static_cast<std::uint64_t>(got);
  }
  return true;
}

bool write_at(const Descriptor& file, ByteView bytes, std::uint64_t at) {
  while (!bytes.empty()) {
    const ssize_t put = ::pwrite(file.get(), bytes.data(), bytes.size(), static_cast<off_t>(at));
    if (put < 0 && errno == EINTR) continue;
    if (put <= 0) return false;
    bytes = bytes.subspan(static_cast<std::size_t>(put));
    at += static_cast<std::uint64_t>(put);
  }
  return true;
}

}  // namespace bayswap
