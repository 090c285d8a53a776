#include "core/layouts/x360/x360_volume.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"

namespace bayswap::x360 {
namespace {

// The level at which the root's hash fits; else the one that the number of blocks needs.
unsigned level_of(ByteView package, const Header& header, std::uint64_t blocks) {
  const unsigned expected = root_level(blocks);
  const ByteView root_hash = package.subspan(kRootHash, 20);
  for (const unsigned level : {expected, 0U, 1U, 2U}) {
    const auto root = table_bytes(package, header, level, 0, header.second_root ? 1 : 0);
    if (root && std::ranges::equal(sha1(*root), root_hash)) return std::max(level, expected);
  }
  return expected;
}

BlockEntry entry_of(ByteView package, LiveTables& tables, const Header& header,
                    std::uint64_t block) {
  BlockEntry known;
  const auto table = tables.table(0, block / kFanout);
  const auto data = block_bytes(package, header, block);
  if (!table || !data) return known;
  const ByteView entry = table->subspan(block % kFanout * kHashEntry, kHashEntry);
  known.status = to_u8(entry[kStatus]);
  known.next = u24be(entry, kNext);
  known.holds = known.used() && std::ranges::equal(sha1(*data), entry.first(kStatus));
  return known;
}

void read_map(ByteView package, LiveTables& tables, Volume& volume) {
  for (std::uint64_t block = 0; block < volume.blocks; ++block)
    volume.map.push_back(entry_of(package, tables, volume.header, block));
}

// The blocks from `start` on; shorter than `count` where the chain breaks or comes back.
std::vector<std::uint32_t> chain(const Volume& volume, std::uint32_t start, std::uint64_t count,
                                 bool consecutive) {
  std::vector<std::uint32_t> blocks;
  std::vector<bool> seen(consecutive ? 0 : volume.blocks);
  std::uint32_t block = start;
  while (blocks.size() < count && block < volume.blocks) {
    if (!consecutive) {
      if (seen[block]) break;
      seen[block] = true;
    }
    blocks.push_back(block);
    block = consecutive ? block + 1 : volume.map[block].next;
  }
  return blocks;
}

void read_entries(ByteView package, Volume& volume) {
  const std::uint32_t count = std::min(volume.header.table_blocks, kMostTableBlocks);
  volume.table = chain(volume, volume.header.table_start, count, false);
  volume.table_whole = volume.table.size() == volume.header.table_blocks;
  for (const std::uint32_t block : volume.table) {
    const auto bytes = block_bytes(package, volume.header, block);
    if (!bytes) continue;
    for (std::size_t at = 0; at < kBlockSize; at += kEntrySize)
      volume.entries.push_back(parse_file_entry(bytes->subspan(at, kEntrySize)));
  }
}

void read_files(Volume& volume) {
  // Entries of a hostile table may claim the same blocks over and over.
  std::uint64_t claimable = 2 * volume.blocks;
  for (std::size_t i = 0; i < volume.entries.size(); ++i) {
    const FileEntry& entry = volume.entries[i];
    if (!entry.exists() || entry.folder) continue;
    auto path = path_of(volume.entries, i);
    if (!path) {
      volume.broken.push_back(
          fmt::format("{}: its folder is not in the file table", safe_text(entry.name)));
      continue;
    }
    VolumeFile file;
    file.path = std::move(*path);
    file.entry = i;
    const std::uint64_t needed = (entry.size + kBlockSize - 1) / kBlockSize;
    if (needed <= claimable) file.blocks = chain(volume, entry.start, needed, entry.consecutive);
    claimable -= file.blocks.size();
    file.whole = file.blocks.size() == needed;
    file.holds = file.whole && std::ranges::all_of(file.blocks, [&](std::uint32_t block) {
                   return volume.map[block].holds;
                 });
    volume.files.push_back(std::move(file));
  }
}

}  // namespace

std::optional<ByteView> block_bytes(ByteView package, const Header& header, std::uint64_t block) {
  return slice(package, header.end + block_place(block, header.copies) * kBlockSize, kBlockSize);
}

std::optional<ByteView> table_bytes(ByteView package, const Header& header, unsigned level,
                                    std::uint64_t number, unsigned copy) {
  return slice(package,
               header.end + (table_place(level, number, header.copies) + copy) * kBlockSize,
               kBlockSize);
}

LiveTables::LiveTables(ByteView package, const Header& header, unsigned level, bool rescue)
    : package_(package), header_(header), level_(level), rescue_(rescue), known_(level + 1) {}

unsigned LiveTables::copy_of(unsigned level, std::uint64_t number) {
  auto& known = known_[level];
  if (known.size() <= number) known.resize(number + 1);
  if (known[number]) return *known[number];
  unsigned copy = 0;
  ByteView hash = package_.subspan(kRootHash, 20);
  if (level == level_) {
    copy = header_.second_root ? 1 : 0;
  } else if (const auto parent = table(level + 1, number / kFanout)) {
    const ByteView entry = parent->subspan(number % kFanout * kHashEntry, kHashEntry);
    hash = entry.first(kStatus);
    copy = header_.copies == 2 && (to_u8(entry[kStatus]) & kSecondCopy) != 0 ? 1 : 0;
  }
  if (rescue_ && header_.copies == 2) {
    const auto fits = [&](unsigned which) {
      const auto bytes = table_bytes(package_, header_, level, number, which);
      return bytes && std::ranges::equal(sha1(*bytes), hash);
    };
    if (!fits(copy) && fits(1 - copy)) {
      copy = 1 - copy;
      spare_used_ = true;
    }
  }
  known_[level][number] = copy;
  return copy;
}

std::optional<ByteView> LiveTables::table(unsigned level, std::uint64_t number) {
  return table_bytes(package_, header_, level, number, copy_of(level, number));
}

std::optional<Volume> read_volume(ByteView package, bool rescue) {
  auto header = parse_header(package);
  if (!header) return std::nullopt;
  Volume volume;
  volume.header = std::move(*header);
  const std::uint64_t room = blocks_in(package.size() - volume.header.end, volume.header.copies);
  volume.blocks = volume.header.blocks(room);
  volume.level = level_of(package, volume.header, std::max<std::uint64_t>(volume.blocks, 1));
  LiveTables tables(package, volume.header, volume.level, rescue);
  read_map(package, tables, volume);
  // The header may count too few: blocks that their table confirms belong to it.
  while (rescue && volume.blocks > 0 && volume.blocks < room && volume.blocks % kFanout != 0) {
    const BlockEntry next = entry_of(package, tables, volume.header, volume.blocks);
    if (!next.holds) break;
    volume.map.push_back(next);
    ++volume.blocks;
  }
  volume.spare_used = tables.spare_used();
  read_entries(package, volume);
  read_files(volume);
  return volume;
}

Bytes file_bytes(ByteView package, const Volume& volume, const VolumeFile& file) {
  Bytes bytes;
  for (const std::uint32_t block : file.blocks)
    if (const auto data = block_bytes(package, volume.header, block))
      bytes.insert(bytes.end(), data->begin(), data->end());
  const std::uint64_t size = volume.entries.at(file.entry).size;
  if (bytes.size() > size) bytes.resize(size);
  return bytes;
}

}  // namespace bayswap::x360
