// What every storage can do with its primitive operations alone.
#include <algorithm>

#include "bayswap/storage.h"
#include "bytes/fill.h"
#include "storage/atomic_write.h"
#include "storage/version_digest.h"

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

Result<std::vector<NamedInfo>> Storage::entries(const Path& folder) {
  auto names = list(folder);
  if (!names) return tl::unexpected(names.error());
  std::vector<NamedInfo> found;
  for (std::string& name : *names)
    if (const auto seen = info(folder / name)) found.push_back({std::move(name), *seen});
  return found;
}

Result<Digest> Storage::copy(const Path& from, const Path& to, std::uint32_t mode,
                             const std::function<void(std::uint64_t)>& progress) {
  const auto seen = view(from, kSaveLimit);
  if (!seen) return tl::unexpected(seen.error());
  if (auto made = create(to, seen->bytes(), mode); !made) return tl::unexpected(made.error());
  const auto back = view(to, kSaveLimit);
  if (!back) return tl::unexpected(back.error());
  if (!same_bytes(back->bytes(), seen->bytes())) return tl::unexpected(read_differently(to));
  if (progress) progress(seen->bytes().size());
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

bool is_missing(Storage& storage, const Path& path) {
  const auto info = storage.info(path);
  return !info && info.error().code == "missing";
}

}  // namespace bayswap
