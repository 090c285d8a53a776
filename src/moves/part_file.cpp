#include "moves/part_file.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"

namespace bayswap {
namespace {

constexpr std::string_view kMark = "bayswap part of a dump, version 1, ";
constexpr std::uint64_t kLargest = 1ULL << 30U;

}  // namespace

PartFile::PartFile(Storage& storage, const Path& out, ByteView header)
    : storage_(storage), path_(out), first_line_(fmt::format("{}{}\n", kMark, sha256_hex(header))) {
  path_ += ".part";
}

bool PartFile::is_ours() const {
  const auto bytes = storage_.view(path_, kLargest);
  return bytes &&
         std::ranges::equal(bytes->bytes().first(std::min(kMark.size(), bytes->bytes().size())),
                            as_bytes(kMark));
}

Bytes PartFile::known() const {
  const auto bytes = storage_.read(path_, kLargest);
  const ByteView line = as_bytes(first_line_);
  if (!bytes || bytes->size() < line.size() ||
      !std::equal(line.begin(), line.end(), bytes->begin()))
    return {};
  return {bytes->begin() + static_cast<std::ptrdiff_t>(line.size()), bytes->end()};
}

Result<void> PartFile::keep(ByteView bytes) const {
  if (!is_missing(storage_, path_) && !is_ours()) return tl::unexpected(output_exists(path_));
  if (auto made = make_folders(storage_, path_.parent_path()); !made)
    return tl::unexpected(made.error());
  const ByteView line = as_bytes(first_line_);
  Bytes whole(line.begin(), line.end());
  whole.insert(whole.end(), bytes.begin(), bytes.end());
  return replace_own_file(storage_, path_, whole);
}

void PartFile::done() const {
  if (is_ours()) (void)storage_.remove(path_);
}

}  // namespace bayswap
