#include "storage/archive.h"

#include <archive.h>
#include <archive_entry.h>

#include <algorithm>
#include <memory>

#include "bytes/cursor.h"

namespace bayswap {
namespace {

Bytes read_entry(archive* reader, std::size_t limit) {
  Bytes bytes;
  constexpr std::size_t kStep = 1U << 18U;
  while (bytes.size() < limit) {
    const std::size_t have = bytes.size();
    bytes.resize(std::min(limit, have + kStep));
    const la_ssize_t got = archive_read_data(reader, bytes.data() + have, bytes.size() - have);
    bytes.resize(have + static_cast<std::size_t>(std::max<la_ssize_t>(got, 0)));
    if (got <= 0) break;
  }
  return bytes;
}

}  // namespace

bool is_zip(ByteView file) {
  return Cursor(file).u32be(0) == 0x504B0304;
}

void visit_zip(ByteView file, const ArchiveLimits& limits,
               const std::function<bool(const std::string&, ByteView, std::uint64_t)>& visit) {
  const std::unique_ptr<archive, int (*)(archive*)> reader(archive_read_new(), archive_read_free);
  archive_read_support_format_zip(reader.get());
  if (archive_read_open_memory(reader.get(), file.data(), file.size()) != ARCHIVE_OK) return;
  archive_entry* entry = nullptr;
  for (std::size_t i = 0; i < limits.entries; ++i) {
    if (archive_read_next_header(reader.get(), &entry) != ARCHIVE_OK) return;
    if (archive_entry_filetype(entry) != AE_IFREG) continue;
    const char* name = archive_entry_pathname_utf8(entry);
    const Bytes bytes = read_entry(reader.get(), limits.entry_bytes);
    const auto told = archive_entry_size_is_set(entry) != 0 ? archive_entry_size(entry) : 0;
    const std::uint64_t size = std::max<std::uint64_t>(
        bytes.size(), static_cast<std::uint64_t>(std::max<la_int64_t>(told, 0)));
    if (visit(name == nullptr ? "" : name, bytes, size)) return;
  }
}

}  // namespace bayswap
