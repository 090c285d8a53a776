#include "core/layouts/ps2/ps2_format.h"

#include <algorithm>
#include <chrono>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/text.h"
#include "core/model/sony_names.h"

namespace bayswap::ps2 {
namespace {

using namespace std::chrono;

constexpr hours kZone{9};
constexpr std::size_t kTitleBreak = 0x06;  // u16, where the title's second line starts
constexpr std::size_t kTitle = 0xC0;
constexpr std::size_t kTitleLength = 68;
constexpr std::uint32_t kMostClusters = 1U << 21U;  // 2 GiB

bool is_icon_sys(ByteView bytes) {
  return bytes.size() >= kTitle + kTitleLength && ascii_text(bytes.first(4)) == "PS2D";
}

}  // namespace

std::uint32_t Geometry::usable() const {
  const std::uint32_t thousands = clusters / 1000 * 1000;
  return std::min(alloc_end, thousands + 1);
}

Geometry usual_geometry(std::uint32_t clusters) {
  Geometry geometry;
  geometry.clusters = clusters;
  const std::uint32_t indirect_first = kClustersPerBlock;
  const std::uint32_t reserved = 2 * kClustersPerBlock;  // the two backup erase blocks
  const std::uint32_t tables = (clusters - reserved + kEntriesPerCluster - 1) / kEntriesPerCluster;
  const std::uint32_t indirects = (tables + kEntriesPerCluster - 1) / kEntriesPerCluster;
  for (std::uint32_t i = 0; i < indirects && i < kListLength; ++i)
    geometry.indirect[i] = indirect_first + i;
  geometry.alloc_first = indirect_first + indirects + tables;
  geometry.alloc_end = clusters - reserved - geometry.alloc_first;
  geometry.backup = {clusters / kClustersPerBlock - 1, clusters / kClustersPerBlock - 2};
  geometry.bad_blocks.fill(kNoBadBlock);
  return geometry;
}

std::optional<Geometry> parse_superblock(ByteView plain) {
  const auto page = slice(plain, 0, kPageSize);
  if (!page || !std::ranges::equal(page->first(kMagic.size()), as_bytes(kMagic)))
    return std::nullopt;
  Cursor cursor(*page);
  if (cursor.u16le(kPageSizeOffset) != kPageSize ||
      cursor.u16le(kPagesPerClusterOffset) != kPagesPerCluster)
    return std::nullopt;
  Geometry geometry;
  geometry.clusters = cursor.u32le(kClusters);
  geometry.alloc_first = cursor.u32le(kAllocFirst);
  geometry.alloc_end = cursor.u32le(kAllocEnd);
  geometry.root = cursor.u32le(kRootCluster);
  for (std::size_t i = 0; i < 2; ++i) geometry.backup[i] = cursor.u32le(kBackupBlocks + i * 4);
  for (std::size_t i = 0; i < kListLength; ++i) {
    geometry.indirect[i] = cursor.u32le(kIndirect + i * 4);
    geometry.bad_blocks[i] = cursor.u32le(kBadBlocks + i * 4);
  }
  const bool sensible = geometry.clusters <= kMostClusters && geometry.clusters > 64 &&
                        geometry.alloc_first < geometry.clusters && geometry.alloc_end > 0 &&
                        geometry.alloc_end <= geometry.clusters - geometry.alloc_first &&
                        geometry.root < geometry.alloc_end;
  if (!sensible) return std::nullopt;
  return geometry;
}

Bytes superblock_for(const Geometry& geometry) {
  Bytes page(kPageSize);
  const std::span<std::byte> all(page);
  std::ranges::copy(as_bytes(kMagic), page.begin());
  std::ranges::copy(as_bytes(kVersion), page.begin() + kVersionOffset);
  const auto u16 = [&](std::size_t at, std::uint16_t value) {
    store_le(all.subspan(at, 2), value);
  };
  const auto u32 = [&](std::size_t at, std::uint32_t value) {
    store_le(all.subspan(at, 4), value);
  };
  u16(kPageSizeOffset, kPageSize);
  u16(kPagesPerClusterOffset, kPagesPerCluster);
  u16(kPagesPerBlockOffset, kClustersPerBlock * kPagesPerCluster);
  u16(kUnknown, 0xFF00);
  u32(kClusters, geometry.clusters);
  u32(kAllocFirst, geometry.alloc_first);
  u32(kAllocEnd, geometry.alloc_end);
  u32(kRootCluster, geometry.root);
  for (std::size_t i = 0; i < 2; ++i) u32(kBackupBlocks + i * 4, geometry.backup[i]);
  for (std::size_t i = 0; i < kListLength; ++i) {
    u32(kIndirect + i * 4, geometry.indirect[i]);
    u32(kBadBlocks + i * 4, geometry.bad_blocks[i]);
  }
  page[kCardType] = std::byte{2};
  page[kCardFlags] = std::byte{0x2B};
  return page;
}

Entry parse_entry(ByteView raw) {
  Cursor cursor(raw);
  Entry entry;
  entry.mode = cursor.u16le(kMode);
  entry.length = cursor.u32le(kLength);
  entry.cluster = cursor.u32le(kCluster);
  entry.own_index = cursor.u32le(kOwnIndex);
  entry.name = name_text(cursor.bytes(kName, kNameLength));
  std::ranges::replace(entry.name, '/', '?');
  return entry;
}

std::optional<Time> parse_time(ByteView stored) {
  Cursor cursor(stored);
  const year_month_day date{year{cursor.u16le(6)}, month{cursor.u8(5)}, day{cursor.u8(4)}};
  if (!date.ok() || cursor.u8(1) > 59 || cursor.u8(2) > 59 || cursor.u8(3) > 23)
    return std::nullopt;
  return sys_days{date} + hours{cursor.u8(3)} + minutes{cursor.u8(2)} + seconds{cursor.u8(1)} -
         kZone;
}

void store_time(std::span<std::byte> field, Time time) {
  const Time local = time + kZone;
  const auto midnight = floor<days>(local);
  const year_month_day date{midnight};
  const hh_mm_ss clock{local - midnight};
  const auto u8 = [&](std::size_t at, auto value) {
    store_le(field.subspan(at, 1), static_cast<std::uint64_t>(value));
  };
  u8(0, 0);
  u8(1, clock.seconds().count());
  u8(2, clock.minutes().count());
  u8(3, clock.hours().count());
  u8(4, static_cast<unsigned>(date.day()));
  u8(5, static_cast<unsigned>(date.month()));
  store_le(field.subspan(6, 2), static_cast<std::uint64_t>(static_cast<int>(date.year())));
}

Bytes entry_for(ByteView like, std::uint16_t mode, std::uint64_t length, std::uint32_t cluster,
                std::string_view name, const std::optional<Time>& time) {
  Bytes entry(kEntrySize);
  const std::span<std::byte> all(entry);
  const bool known = like.size() >= kEntrySize;
  if (known) {
    std::ranges::copy(like.first(kEntrySize), entry.begin());
  } else {
    store_le(all.subspan(kMode, 2), mode);
    if (time) {
      store_time(all.subspan(kCreated, 8), *time);
      store_time(all.subspan(kModified, 8), *time);
    }
  }
  constexpr unsigned kTypes = kDirectoryBit | kFileBit;
  const unsigned kept = Cursor(entry).u16le(kMode);
  const bool same_type = (kept & kTypes) == (mode & kTypes);
  // A save that was deleted exists again.
  store_le(all.subspan(kMode, 2), (same_type ? kept : mode) | kExists);
  store_le(all.subspan(kLength, 4), length);
  store_le(all.subspan(kCluster, 4), cluster);
  if (!known || parse_entry(entry).name != name) {
    std::ranges::fill(all.subspan(kName, kNameLength), std::byte{0});
    std::ranges::copy(as_bytes(name).first(std::min(name.size(), kNameLength)),
                      all.subspan(kName).begin());
  }
  return entry;
}

std::string title_of(ByteView icon_sys) {
  if (!is_icon_sys(icon_sys)) return {};
  const ByteView title = icon_sys.subspan(kTitle, kTitleLength);
  const std::size_t line = Cursor(icon_sys).u16le(kTitleBreak);
  if (line == 0 || line >= kTitleLength) return shift_jis_text(title);
  // The second line may stand behind a NUL that ends the first.
  std::string text = shift_jis_text(title.first(line));
  const std::string second = shift_jis_text(title.subspan(line));
  if (!text.empty() && !second.empty()) text += "\n";
  return text + second;
}

void describe(Save& save) {
  save.system = System::ps2;
  save.kind = Kind::card_save;
  add_sony_game(save.name, save.game);
  if (save.entry.size() >= kEntrySize)
    save.modified = parse_time(ByteView(save.entry).subspan(kModified, 8));
  if (const Part* icon = save.part("icon.sys")) save.comment = title_of(icon->data);
}

}  // namespace bayswap::ps2
