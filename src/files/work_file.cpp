#include "files/work_file.h"

#include <fcntl.h>

#include <cerrno>

#include "files/descriptor.h"

namespace bayswap {
namespace {

class DiskWorkFile final : public WorkFile {
 public:
  DiskWorkFile(Path path, Descriptor file) : path_(std::move(path)), file_(std::move(file)) {}

  Result<std::uint64_t> size() override { return size_of(file_, path_, kNoLimit); }

  Result<void> put(std::uint64_t at, ByteView bytes) override {
    if (!write_at(file_, bytes, at)) return write_error(path_, errno);
    return {};
  }

  Result<void> get(std::uint64_t at, std::span<std::byte> into) override {
    if (!read_at(file_, into, at)) return read_error(path_, errno == 0 ? EIO : errno);
    return {};
  }

  Result<void> flush() override {
    if (::fsync(file_.get()) != 0) return write_error(path_, errno);
    return {};
  }

 private:
  Path path_;
  Descriptor file_;
};

}  // namespace

Result<std::unique_ptr<WorkFile>> open_file_to_fill(const Path& path) {
  constexpr mode_t kMode = 0600;
  Descriptor file(
      ::open(path.c_str(), O_RDWR | O_CREAT | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC, kMode));
  if (!file.open()) return write_error(path, errno);
  if (const auto size = size_of(file, path, kNoLimit); !size)
    return fail(Trouble::place, Code::place_failed, size.error().text, "name another output");
  return std::make_unique<DiskWorkFile>(path, std::move(file));
}

}  // namespace bayswap
