// An open file or folder of the system, and what is asked of it. Not part of the port: only the
// storage on POSIX calls uses it.
#pragma once

#include <unistd.h>

#include <cstdint>
#include <span>
#include <string>
#include <utility>

#include "bayswap/storage.h"

namespace bayswap {

class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  ~Descriptor() {
    if (fd_ >= 0) ::close(fd_);
  }
  Descriptor(Descriptor&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(Descriptor&& other) noexcept {
    std::swap(fd_, other.fd_);
    return *this;
  }
  [[nodiscard]] int get() const { return fd_; }
  [[nodiscard]] bool open() const { return fd_ >= 0; }
  /// Closes now, because errors of delayed writes show only here.
  [[nodiscard]] bool close() {
    const int result = ::close(fd_);
    fd_ = -1;
    return result == 0;
  }

 private:
  int fd_;
};

/// A file that is being made. Where the system can, it has no name until it is complete, so that
/// nobody sees or touches half of it and a cut-off run leaves nothing.
class NewFile {
 public:
  NewFile(const Path& path, std::uint32_t mode);
  [[nodiscard]] const Descriptor& file() const { return file_; }
  /// Everything is on the medium, and the file has its name.
  [[nodiscard]] Result<void> finish();
  /// It is not wanted after all.
  void drop();

 private:
  Path path_;
  bool nameless_ = false;
  Descriptor file_;
};

inline constexpr std::uint64_t kNoLimit = ~std::uint64_t{0};

/// The name as it may be shown on a terminal.
[[nodiscard]] std::string name_of(const Path& path);

/// What to say of a call that failed, by its `errno`.
[[nodiscard]] tl::unexpected<Error> read_error(const Path& path, int number);
[[nodiscard]] tl::unexpected<Error> write_error(const Path& path, int number);

[[nodiscard]] Descriptor open_to_read(const Path& path);
/// The size in bytes of an open regular file. Errors: "missing", "unreadable" for anything else
/// than a file, "too-large" beyond the limit.
[[nodiscard]] Result<std::uint64_t> size_of(const Descriptor& file, const Path& path,
                                            std::uint64_t limit);

/// Fills or writes the whole span at a place in bytes. False with `errno` where that fails; `errno`
/// is 0 where the file ends before.
[[nodiscard]] bool read_at(const Descriptor& file, std::span<std::byte> into, std::uint64_t at);
[[nodiscard]] bool write_at(const Descriptor& file, ByteView bytes, std::uint64_t at);

}  // namespace bayswap
