#include "moves/part_file.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"

namespace bayswap {
namespace {

constexpr std::string_view kMark = "bayswap part of a dump, version 1, ";

// `OUT.part`, or with a number behind it where something else has that name.
Result<Path> free_or_ours(Storage& storage, const Path& out, ByteView first_line) {
  constexpr int kMost = 9;
  for (int number = 1; number <= kMost; ++number) {
    Path path = out;
    path += number == 1 ? std::string(".part") : fmt::format(".part-{}", number);
    if (is_missing(storage, path)) return path;
    const auto start = storage.view_start(path, first_line.size());
    if (start && std::ranges::equal(start->bytes(), first_line)) return path;
  }
  Path path = out;
  path += ".part";
  return tl::unexpected(output_exists(path));
}

}  // namespace

PartFile::PartFile(Storage& storage, ByteView header)
    : storage_(&storage), first_line_(fmt::format("{}{}\n", kMark, sha256_hex(header))) {}

Result<PartFile> PartFile::open(Storage& storage, const Path& out, ByteView header) {
  PartFile part(storage, header);
  const ByteView line = as_bytes(part.first_line_);
  auto path = free_or_ours(storage, out, line);
  if (!path) return tl::unexpected(path.error());
  part.path_ = std::move(*path);
  if (auto made = make_folders(storage, part.path_.parent_path()); !made)
    return tl::unexpected(made.error());
  auto file = storage.open_work_file(part.path_);
  if (!file) return tl::unexpected(file.error());
  part.file_ = std::move(*file);
  const auto size = part.size();
  if (!size) return tl::unexpected(size.error());
  part.known_ = *size;
  if (*size == 0)
    if (auto put = part.file_->put(0, line); !put) return tl::unexpected(put.error());
  return part;
}

Result<std::uint64_t> PartFile::size() {
  auto size = file_->size();
  if (size) *size -= std::min(*size, begin());
  return size;
}

Result<void> PartFile::put(std::uint64_t at, ByteView bytes) {
  return file_->put(begin() + at, bytes);
}

Result<void> PartFile::get(std::uint64_t at, std::span<std::byte> into) {
  return file_->get(begin() + at, into);
}

void PartFile::remove() {
  file_.reset();
  (void)storage_->remove(path_);
}

}  // namespace bayswap
