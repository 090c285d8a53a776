#include "files/copy_file.h"

#include <fcntl.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <mutex>
#include <optional>
#include <vector>

#include "core/bytes/fill.h"
#include "files/atomic_write.h"
#include "files/descriptor.h"
#include "files/two_threads.h"
#include "files/version_digest.h"

namespace bayswap {
namespace {

// Sixteen pieces, as many as are hashed side by side, and little enough for the processor's cache.
constexpr std::size_t kPiecesAtOnce = 16;
constexpr std::size_t kBackPart = 1U << 16U;

class Copy {
 public:
  Copy(const Descriptor& source, const Path& from, std::uint64_t size, const Descriptor& target,
       const Path& to, const CopyProgress& progress)
      : source_(source), from_(from), size_(size), target_(target), to_(to), progress_(progress) {
    const bool cut = size > kWholeContent;
    each_ = cut ? piece_size(size) : kWholeContent;
    digests_.resize(static_cast<std::size_t>((size + each_ - 1) / each_));
  }

  Result<Digest> run() {
    const std::size_t parts = (digests_.size() + kPiecesAtOnce - 1) / kPiecesAtOnce;
    std::atomic<std::size_t> next{0};
    on_two_threads(std::min<std::size_t>(parts, 2), [&](std::size_t) {
      Room room;
      for (std::size_t part = next++; part < parts && !stopped_; part = next++)
        if (auto done = copy_part(part, room); !done) stop(std::move(done.error()));
    });
    if (problem_) return tl::unexpected(*problem_);
    if (size_ > kWholeContent) return version_digest(size_, digests_);
    return digests_.empty() ? sha256({}) : digests_.front();
  }

 private:
  // Buffers of one thread.
  struct Room {
    Bytes part;
    Bytes back = Bytes(kBackPart);
  };

  Result<void> copy_part(std::size_t number, Room& room) {
    const std::uint64_t at = std::uint64_t{number} * kPiecesAtOnce * each_;
    const auto length =
        static_cast<std::size_t>(std::min<std::uint64_t>(kPiecesAtOnce * each_, size_ - at));
    if (room.part.size() < length) room.part.resize(length);
    const auto bytes = std::span(room.part).first(length);
    if (!read_at(source_, bytes, at))
      return errno == 0 ? tl::unexpected(place_changed(from_)) : read_error(from_, errno);
    if (!write_at(target_, bytes, at)) return write_error(to_, errno);
    for (std::size_t k = 0; k < length; k += kBackPart) {
      const auto back = std::span(room.back).first(std::min(kBackPart, length - k));
      if (!read_at(target_, back, at + k) || !same_bytes(back, bytes.subspan(k, back.size())))
        return tl::unexpected(read_differently(to_));
    }
    // The medium begins early, so that flushing at the end has little left to do.
    (void)::sync_file_range(target_.get(), static_cast<off_t>(at), static_cast<off_t>(length),
                            SYNC_FILE_RANGE_WRITE);
    const std::vector<Digest> made = digests_of_pieces(bytes, each_);
    std::ranges::copy(made, digests_.begin() + static_cast<std::ptrdiff_t>(number * kPiecesAtOnce));
    if (!progress_) return {};
    const std::scoped_lock lock(guard_);
    return progress_(length) ? Result<void>{} : tl::unexpected(copy_cancelled(to_));
  }

  void stop(Error problem) {
    const std::scoped_lock lock(guard_);
    if (!problem_) problem_ = std::move(problem);
    stopped_ = true;
  }

  const Descriptor& source_;
  const Path& from_;
  std::uint64_t size_;
  const Descriptor& target_;
  const Path& to_;
  const CopyProgress& progress_;
  std::size_t each_ = 0;
  std::vector<Digest> digests_;
  std::mutex guard_;
  std::atomic<bool> stopped_{false};
  std::optional<Error> problem_;
};

}  // namespace

Result<Digest> copy_file(const Path& from, const Path& to, std::uint32_t mode,
                         const CopyProgress& progress) {
  const Descriptor source = open_to_read(from);
  const auto size = size_of(source, from, kNoLimit);
  if (!size) return tl::unexpected(size.error());
  NewFile target(to, mode);
  if (!target.file().open()) return write_error(to, errno);
  auto digest = Copy(source, from, *size, target.file(), to, progress).run();
  if (!digest) {
    target.drop();
    return digest;
  }
  if (auto done = target.finish(); !done) return tl::unexpected(done.error());
  return digest;
}

}  // namespace bayswap
