#include "core/layouts/titles/param_sfo.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kHeaderSize = 20;
constexpr std::size_t kEntrySize = 16;
constexpr std::uint32_t kMostEntries = 256;  // real ones have about a dozen

constexpr std::uint16_t kRaw = 0x0004;
constexpr std::uint16_t kText = 0x0204;
constexpr std::uint16_t kNumber = 0x0404;

tl::unexpected<Error> broken(std::string why) {
  return fail(Trouble::input, Code::damaged, "PARAM.SFO: " + std::move(why),
              "copy the folder again; the console will not show a save without it");
}

std::string text_of(ByteView bytes) {
  const auto end = std::ranges::find(bytes, std::byte{0});
  return {reinterpret_cast<const char*>(bytes.data()),
          static_cast<std::size_t>(end - bytes.begin())};
}

}  // namespace

Result<std::vector<SfoEntry>> parse_param_sfo(ByteView file) {
  Cursor cursor(file);
  if (file.size() < kHeaderSize || cursor.u32be(0) != 0x00505346)
    return broken("does not begin as one");
  const std::uint32_t keys = cursor.u32le(8);
  const std::uint32_t values = cursor.u32le(12);
  const std::uint32_t count = cursor.u32le(16);
  if (count > kMostEntries || keys > file.size() || values > file.size() ||
      kHeaderSize + std::uint64_t{count} * kEntrySize > file.size())
    return broken("its tables lie outside of the file");
  std::vector<SfoEntry> entries;
  for (std::uint32_t i = 0; i < count; ++i) {
    const std::uint64_t at = kHeaderSize + std::uint64_t{i} * kEntrySize;
    const std::uint64_t key = std::uint64_t{keys} + cursor.u16le(at);
    const std::uint32_t length = cursor.u32le(at + 4);
    const std::uint32_t room = cursor.u32le(at + 8);
    const auto value = slice(file, std::uint64_t{values} + cursor.u32le(at + 12), length);
    if (key >= file.size() || !value || length > room)
      return broken(fmt::format("entry {} lies outside of the file", i + 1));
    SfoEntry entry;
    entry.key = text_of(file.subspan(static_cast<std::size_t>(key)));
    if (entry.key.empty() || entry.key.size() > 64 || !is_printable(as_bytes(entry.key)))
      return broken(fmt::format("the key of entry {} is damaged", i + 1));
    switch (cursor.u16le(at + 2)) {
      case kText:
        entry.type = SfoEntry::Type::text;
        entry.text = text_of(*value);
        break;
      case kNumber:
        if (length != 4) return broken(fmt::format("{} is not a number of 4 bytes", entry.key));
        entry.type = SfoEntry::Type::number;
        entry.number = Cursor(*value).u32le(0);
        break;
      case kRaw: entry.bytes.assign(value->begin(), value->end()); break;
      default: return broken(fmt::format("{} has an unknown type", entry.key));
    }
    entries.push_back(std::move(entry));
  }
  return entries;
}

std::string sfo_text(const std::vector<SfoEntry>& entries, std::string_view key) {
  for (const SfoEntry& entry : entries)
    if (entry.key == key && entry.type == SfoEntry::Type::text) return entry.text;
  return {};
}

}  // namespace bayswap
