#include "history/pack_ahead.h"

#include "files/atomic_write.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kMostWaiting = 16U << 20U;  // bytes that are packed and not yet asked for

std::uint64_t bytes_of(const Result<PackedContent>& content) {
  return content ? content->size : 0;
}

}  // namespace

PackAhead::PackAhead(Storage& storage, std::vector<File> files)
    : storage_(storage), files_(std::move(files)) {
  if (files_.empty()) return;
  worker_ = std::thread([this] { run(); });
}

PackAhead::~PackAhead() {
  {
    const std::scoped_lock lock(guard_);
    stopped_ = true;
  }
  changed_.notify_all();
  if (worker_.joinable()) worker_.join();
}

Result<PackedContent> PackAhead::next() {
  std::unique_lock lock(guard_);
  changed_.wait(lock, [this] { return !ready_.empty(); });
  Result<PackedContent> content = std::move(ready_.front());
  ready_.pop_front();
  waiting_ -= bytes_of(content);
  lock.unlock();
  changed_.notify_all();
  return content;
}

void PackAhead::run() {
  for (const File& file : files_) {
    Result<PackedContent> content = pack(file);
    std::unique_lock lock(guard_);
    changed_.wait(lock, [this] { return waiting_ < kMostWaiting || stopped_; });
    if (stopped_) return;
    waiting_ += bytes_of(content);
    ready_.push_back(std::move(content));
    lock.unlock();
    changed_.notify_all();
  }
}

Result<PackedContent> PackAhead::pack(const File& file) {
  const auto bytes = storage_.read(file.path, file.info.size);
  if (bytes) return pack_content(*bytes);
  if (bytes.error().code == Code::too_large) return tl::unexpected(place_changed(file.path));
  return tl::unexpected(bytes.error());
}

}  // namespace bayswap
