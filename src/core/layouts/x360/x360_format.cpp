#include "core/layouts/x360/x360_format.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap::x360 {
namespace {

constexpr std::array<std::string_view, 3> kMagics{"CON ", "LIVE", "PIRS"};

std::string first_name(ByteView package) {
  for (std::size_t i = 0; i < kLanguages; ++i)
    if (const auto field = slice(package, kNames + i * kNameSize, kNameSize)) {
      std::string name = trimmed(utf16be_text(*field));
      if (!name.empty()) return name;
    }
  return {};
}

}  // namespace

bool has_magic(ByteView package) {
  const auto magic = slice(package, 0, 4);
  return magic && std::ranges::any_of(kMagics, [&](std::string_view known) {
           return std::ranges::equal(*magic, as_bytes(known));
         });
}

std::optional<Header> parse_header(ByteView package) {
  if (!has_magic(package) || package.size() < kLeastHeader) return std::nullopt;
  Cursor cursor(package);
  Header header;
  header.magic = trimmed(ascii_text(package.first(4)));
  header.signer = header.magic == "CON" ? Signer::console : Signer::publisher;
  header.end =
      (std::uint64_t{cursor.u32be(kHeaderSize)} + kBlockSize - 1) / kBlockSize * kBlockSize;
  if (header.end < kBlockSize || header.end > kLongestHeader || header.end > package.size())
    return std::nullopt;
  header.content_type = cursor.u32be(kContentType);
  header.game.title_id = fmt::format("{:016x}", cursor.u32be(kTitleId));
  const ByteView profile = cursor.bytes(kProfileId, kProfileSize);
  if (!is_filled(profile, std::byte{0})) header.game.profile = hex_text(profile);
  header.display_name = first_name(package.first(header.end));
  if (const auto field = slice(package.first(header.end), kTitleName, kNameSize))
    header.game.title = trimmed(utf16be_text(*field));
  if (header.end >= kThumbnail) {
    const std::uint64_t size =
        std::min<std::uint64_t>(cursor.u32be(kThumbnailSize), kMostThumbnail);
    if (const auto picture = slice(package.first(header.end), kThumbnail, size))
      header.thumbnail.assign(picture->begin(), picture->end());
  }
  const unsigned separation = cursor.u8(kSeparation);
  header.copies = (separation & kOneCopy) != 0 ? 1 : 2;
  header.second_root = header.copies == 2 && (separation & kSecondRoot) != 0;
  header.table_blocks = cursor.u16le(kTableBlocks);
  header.table_start = u24le(package, kTableStart);
  header.total = cursor.u32be(kBlocksTotal);
  header.free = cursor.u32be(kBlocksFree);
  return header;
}

unsigned root_level(std::uint64_t blocks) {
  return blocks <= kFanout ? 0 : blocks <= kFanout * kFanout ? 1 : 2;
}

std::uint64_t block_place(std::uint64_t block, unsigned copies) {
  std::uint64_t tables = block / kFanout + 1;
  if (block >= kFanout) tables += 1 + block / (kFanout * kFanout);
  if (block >= kFanout * kFanout) ++tables;
  return block + copies * tables;
}

std::uint64_t table_place(unsigned level, std::uint64_t number, unsigned copies) {
  // A table of the lowest level stands right before the data that it covers.
  if (level == 0) return block_place(number * kFanout, copies) - copies;
  // The first of an upper level follows what the first table below covers.
  if (number == 0) {
    const std::uint64_t covered = level == 1 ? kFanout : kFanout * kFanout;
    return block_place(covered - 1, copies) + 1;
  }
  return table_place(0, number * kFanout, copies) - copies;
}

std::uint64_t blocks_in(std::uint64_t size, unsigned copies) {
  const std::uint64_t room = size / kBlockSize;
  std::uint64_t low = 0;
  std::uint64_t high = std::min(room, kMostBlocks);
  while (low < high) {
    const std::uint64_t middle = (low + high + 1) / 2;
    if (block_place(middle - 1, copies) < room)
      low = middle;
    else
      high = middle - 1;
  }
  return low;
}

std::uint32_t u24le(ByteView bytes, std::uint64_t at) {
  Cursor cursor(bytes);
  return cursor.u16le(at) | static_cast<std::uint32_t>(cursor.u8(at + 2)) << 16U;
}

std::uint32_t u24be(ByteView bytes, std::uint64_t at) {
  Cursor cursor(bytes);
  return static_cast<std::uint32_t>(cursor.u8(at)) << 16U | cursor.u16be(at + 1);
}

FileEntry parse_file_entry(ByteView entry) {
  Cursor cursor(entry);
  FileEntry parsed;
  const unsigned flags = cursor.u8(kEntryFlags);
  const std::size_t length = std::min<std::size_t>(flags & kNameLengthMask, kEntryNameSize);
  parsed.name = latin_text(entry.subspan(kEntryName, length));
  parsed.folder = (flags & kFolder) != 0;
  parsed.consecutive = (flags & kConsecutive) != 0;
  parsed.blocks = u24le(entry, kEntryBlocks);
  parsed.start = u24le(entry, kEntryStart);
  parsed.parent = cursor.u16be(kEntryParent);
  parsed.size = cursor.u32be(kEntryFileSize);
  parsed.raw.assign(entry.begin(), entry.end());
  return parsed;
}

std::optional<std::string> path_of(const std::vector<FileEntry>& entries, std::size_t place) {
  std::string path = entries.at(place).name;
  std::uint16_t parent = entries[place].parent;
  for (std::size_t depth = 0; parent != kRoot; ++depth) {
    if (depth > kDeepest || parent >= entries.size() || !entries[parent].folder ||
        !entries[parent].exists())
      return std::nullopt;
    path.insert(0, entries[parent].name + "/");
    parent = entries[parent].parent;
  }
  return path;
}

bool is_file_name(std::string_view name) {
  return !name.empty() && name.size() <= kEntryNameSize && name != "." && name != ".." &&
         is_printable(as_bytes(name)) &&
         name.find_first_of("/\\:*?\"<>|") == std::string_view::npos;
}

std::optional<Time> time_of_dos(std::uint32_t stamp) {
  using namespace std::chrono;
  if (stamp == 0) return std::nullopt;
  const unsigned date = stamp >> 16U;
  const unsigned clock = stamp & 0xFFFFU;
  const year_month_day day{year{static_cast<int>(1980 + (date >> 9U))}, month{date >> 5U & 15U},
                           std::chrono::day{date & 31U}};
  if (!day.ok() || (clock >> 11U) > 23 || (clock >> 5U & 63U) > 59 || (clock & 31U) > 29)
    return std::nullopt;
  return sys_days{day} + hours{clock >> 11U} + minutes{clock >> 5U & 63U} +
         seconds{(clock & 31U) * 2};
}

std::uint32_t dos_of_time(Time time) {
  using namespace std::chrono;
  const auto midnight = floor<days>(time);
  const year_month_day date{midnight};
  const int year = static_cast<int>(date.year());
  if (year < 1980 || year > 2107) return 0;
  const auto clock = time - midnight;
  const auto hour = duration_cast<hours>(clock).count();
  const auto minute = duration_cast<minutes>(clock).count() % 60;
  const auto second = clock.count() % 60;
  return static_cast<std::uint32_t>(year - 1980) << 25U |
         static_cast<unsigned>(date.month()) << 21U | static_cast<unsigned>(date.day()) << 16U |
         static_cast<std::uint32_t>(hour << 11 | minute << 5 | second / 2);
}

Save make_file(std::string path, const FileEntry& entry, Bytes data) {
  Save save;
  save.system = System::x360;
  save.kind = Kind::card_save;
  save.modified = time_of_dos(Cursor(entry.raw).u32be(kEntryModified));
  save.entry = entry.raw;
  save.parts.push_back({path, std::move(data), false, {}});
  save.name = std::move(path);
  return save;
}

}  // namespace bayswap::x360
