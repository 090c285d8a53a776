// What every storage can do with its primitive operations alone.
#include <fmt/core.h>

#include <algorithm>

#include "bayswap/storage.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"
#include "files/version_digest.h"

namespace bayswap {

FileView::FileView(Bytes owned) {
  const auto shared = std::make_shared<const Bytes>(std::move(owned));
  bytes_ = *shared;
  keep_alive_ = shared;
}

FileView::FileView(ByteView bytes, std::shared_ptr<const void> keep_alive)
    : keep_alive_(std::move(keep_alive)), bytes_(bytes) {}

Result<Bytes> Storage::read(const Path& path, std::uint64_t limit) {
  const auto seen = view(path, limit);
  if (!seen) return tl::unexpected(seen.error());
  return Bytes(seen->bytes().begin(), seen->bytes().end());
}

Result<std::optional<FileView>> Storage::view_if(const Path& path, const FileInfo& /*walked*/,
                                                 std::size_t first,
                                                 const std::function<bool(ByteView)>& wanted) {
  auto seen = view(path, ~0ULL);
  if (!seen) return tl::unexpected(seen.error());
  const ByteView bytes = seen->bytes();
  if (wanted && !wanted(bytes.first(std::min(first, bytes.size())))) return std::nullopt;
  return std::optional<FileView>(std::move(*seen));
}

Result<FileView> Storage::view_start(const Path& path, std::uint64_t limit) {
  const auto seen = view(path, ~0ULL);
  if (!seen) return tl::unexpected(seen.error());
  const ByteView bytes = seen->bytes();
  const auto length = static_cast<std::size_t>(std::min<std::uint64_t>(limit, bytes.size()));
  return FileView(Bytes(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(length)));
}

Result<std::vector<NamedInfo>> Storage::entries(const Path& folder) {
  auto names = list(folder);
  if (!names) return tl::unexpected(names.error());
  std::vector<NamedInfo> found;
  for (std::string& name : *names)
    if (const auto seen = info(folder / name)) found.push_back({std::move(name), *seen});
  return found;
}

Result<Digest> Storage::copy(const Path& from, const Path& to, std::uint32_t mode,
                             const CopyProgress& progress) {
  const auto seen = view(from, kSaveLimit);
  if (!seen) return tl::unexpected(seen.error());
  if (auto made = create(to, seen->bytes(), mode); !made) return tl::unexpected(made.error());
  const auto back = view(to, kSaveLimit);
  if (!back) return tl::unexpected(back.error());
  if (!same_bytes(back->bytes(), seen->bytes())) return tl::unexpected(read_differently(to));
  if (progress && !progress(seen->bytes().size())) return tl::unexpected(copy_cancelled(to));
  return version_digest(seen->bytes());
}

Result<Digest> Storage::digest(const Path& path) {
  const auto seen = view(path, kSaveLimit);
  if (!seen) return tl::unexpected(seen.error());
  return version_digest(seen->bytes());
}

Result<bool> Storage::same(const Path& a, const Path& b) {
  const auto one = view(a, kSaveLimit);
  if (!one) return tl::unexpected(one.error());
  const auto other = view(b, kSaveLimit);
  if (!other) return tl::unexpected(other.error());
  return same_bytes(one->bytes(), other->bytes());
}

Result<void> Storage::stream(const Path& path, std::size_t piece,
                             const std::function<bool(ByteView)>& take) {
  const auto seen = view(path, kSaveLimit);
  if (!seen) return tl::unexpected(seen.error());
  const ByteView bytes = seen->bytes();
  for (std::size_t at = 0; at < bytes.size(); at += piece)
    if (!take(bytes.subspan(at, std::min(piece, bytes.size() - at)))) return {};
  return {};
}

Result<void> Storage::rename_new(const Path& from, const Path& to) {
  if (!is_missing(*this, to)) return name_exists(to);
  return rename(from, to);
}

Result<bool> Storage::exchange(const Path& /*a*/, const Path& /*b*/) {
  return false;
}

Result<bool> Storage::link(const Path& /*file*/, const Path& /*name*/) {
  return false;
}

namespace {

class TakenOutOfMemory final : public TakenOut {
 public:
  TakenOutOfMemory(FileInfo info, FileView view) : info_(info), view_(std::move(view)) {}
  Result<FileInfo> info() override { return info_; }
  Result<void> stream(std::size_t piece, const std::function<bool(ByteView)>& take) override {
    const ByteView bytes = view_.bytes();
    for (std::size_t at = 0; at < bytes.size(); at += piece)
      if (!take(bytes.subspan(at, std::min(piece, bytes.size() - at)))) return {};
    return {};
  }

 private:
  FileInfo info_;
  FileView view_;
};

}  // namespace

Result<std::unique_ptr<TakenOut>> Storage::take_out(const Path& file) {
  const auto seen = info(file);
  if (!seen) return tl::unexpected(seen.error());
  auto bytes = view(file, kSaveLimit);
  if (!bytes) return tl::unexpected(bytes.error());
  if (auto removed = remove(file); !removed) return tl::unexpected(removed.error());
  return std::unique_ptr<TakenOut>(std::make_unique<TakenOutOfMemory>(*seen, std::move(*bytes)));
}

Result<void> Storage::create_from(const Path& path, std::uint32_t mode,
                                  const std::function<Result<void>(const ByteSink&)>& fill) {
  Bytes all;
  auto filled = fill([&](ByteView piece) {
    all.insert(all.end(), piece.begin(), piece.end());
    return true;
  });
  if (!filled) return filled;
  return create(path, all, mode);
}

Result<std::unique_ptr<WorkFile>> Storage::open_work_file(const Path& path) {
  return fail(
      Trouble::place, Code::place_failed,
      fmt::format("{}: no file can be filled piece by piece here", safe_text(path.string())),
      "name a place on a disk");
}

Result<void> Storage::make_private_folder(const Path& path) {
  return make_folder(path);
}
Result<void> Storage::set_mode(const Path& /*path*/, std::uint32_t /*mode*/) {
  return {};
}
std::vector<std::string> Storage::copy_attributes(const Path& /*from*/, const Path& /*to*/) {
  return {};
}
std::string Storage::identity(const Path& /*folder*/) {
  return {};
}

bool is_missing(Storage& storage, const Path& path) {
  const auto info = storage.info(path);
  return !info && info.error().code == Code::missing;
}

}  // namespace bayswap
