// Facts of dc memory cards that their reader, writer, validator and rescue share. Little-endian.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"
#include "core/layouts/common/chains.h"

namespace bayswap::dc {

inline constexpr std::size_t kBlockSize = 512;
inline constexpr std::size_t kCardBlocks = 256;
inline constexpr std::size_t kCardSize = kCardBlocks * kBlockSize;
inline constexpr std::uint32_t kUserBlocks = 200;     // that a user can fill
inline constexpr std::uint32_t kMostBlocks = 241;     // below the directory; 200 to 240 stay free
inline constexpr std::uint32_t kLastDirectory = 241;  // it runs down to here
inline constexpr std::uint32_t kFirstDirectory = 253;
inline constexpr std::uint32_t kDirectoryBlocks = kFirstDirectory - kLastDirectory + 1;
inline constexpr std::uint32_t kTableBlock = 254;
inline constexpr std::uint32_t kRootBlock = 255;

// Root block.
inline constexpr std::size_t kMark = 0x00;  // 16 × 55
inline constexpr std::size_t kMarkLength = 16;
inline constexpr std::byte kMarkByte{0x55};
inline constexpr std::size_t kFormatTime = 0x30;      // BCD
inline constexpr std::size_t kTablePlace = 0x46;      // u16
inline constexpr std::size_t kTableSize = 0x48;       // u16
inline constexpr std::size_t kDirectoryPlace = 0x4A;  // u16
inline constexpr std::size_t kDirectorySize = 0x4C;   // u16
inline constexpr std::size_t kUserCount = 0x50;       // u16

// Allocation table: one u16 for each block.
inline constexpr std::uint16_t kFree = 0xFFFC;
inline constexpr std::uint16_t kEnd = 0xFFFA;

// Directory entries, 16 in a block, from the highest block down.
inline constexpr std::size_t kEntrySize = 32;
inline constexpr std::size_t kEntriesPerBlock = kBlockSize / kEntrySize;
inline constexpr std::size_t kEntries = kDirectoryBlocks * kEntriesPerBlock;
inline constexpr std::size_t kType = 0x00;  // u8
inline constexpr std::uint8_t kDataType = 0x33;
inline constexpr std::uint8_t kGameType = 0xCC;
inline constexpr std::size_t kFirst = 0x02;  // u16
inline constexpr std::size_t kName = 0x04;   // 12
inline constexpr std::size_t kNameLength = 12;
inline constexpr std::size_t kTime = 0x10;         // 8, BCD
inline constexpr std::size_t kBlockCount = 0x18;   // u16
inline constexpr std::size_t kHeaderBlock = 0x1A;  // u16, 0 for data, 1 for a game

// Header of a save.
inline constexpr std::size_t kShortText = 0x00;  // 16
inline constexpr std::size_t kShortLength = 16;
inline constexpr std::size_t kLongText = 0x10;  // 32
inline constexpr std::size_t kLongLength = 32;
inline constexpr std::size_t kIcons = 0x40;     // u16
inline constexpr std::size_t kEyecatch = 0x44;  // u16, kind of picture
inline constexpr std::size_t kCheck = 0x46;     // u16, CRC
inline constexpr std::size_t kDataSize = 0x48;  // u32
inline constexpr std::size_t kPalette = 0x60;   // 16 × u16
inline constexpr std::size_t kPictures = 0x80;
inline constexpr std::size_t kPictureSize = 512;  // 32×32, 4 bits, high nibble left
inline constexpr std::uint32_t kMostIcons = 3;

/// The card's own icon, a save without the usual header.
inline constexpr std::string_view kIconFile = "ICONDATA_VMS";
inline constexpr std::string_view kDataPart = "data";

struct Entry {
  std::uint8_t type = 0;
  std::uint16_t first = 0;
  std::string name;
  std::uint16_t blocks = 0;
  std::uint16_t header = 0;

  [[nodiscard]] bool in_use() const { return type == kDataType || type == kGameType; }
  [[nodiscard]] bool game() const { return type == kGameType; }
};

[[nodiscard]] Entry parse_entry(ByteView entry);
/// Where an entry lies in a whole card.
[[nodiscard]] std::size_t entry_offset(std::size_t slot);
[[nodiscard]] ByteView entry_at(ByteView card, std::size_t slot);

[[nodiscard]] std::uint16_t link_of(ByteView card, std::uint32_t block);
[[nodiscard]] Chain chain_of(ByteView card, std::uint32_t first);
/// What a user can fill, as the root block says; 200 where that makes no sense. No card has fewer.
[[nodiscard]] std::uint32_t user_blocks(ByteView card);
[[nodiscard]] bool has_mark(ByteView card);

[[nodiscard]] Bytes data_of(ByteView card, const std::vector<std::uint32_t>& blocks);

/// Bytes of an eyecatch of this kind; 0 when there is none.
[[nodiscard]] std::size_t eyecatch_size(unsigned kind);

/// What a save says of itself.
struct Header {
  std::size_t start = 0;  ///< in the save's data
  std::uint32_t icons = 0;
  unsigned eyecatch = 0;
  std::size_t checked = 0;  ///< bytes from `start` that the check covers
  bool check_holds = false;
};
/// Nothing when there is no header that makes sense there.
[[nodiscard]] std::optional<Header> parse_header(ByteView data, std::size_t start);

[[nodiscard]] std::optional<Time> bcd_time(ByteView stored);
[[nodiscard]] Bytes bcd_bytes(const Time& time);

[[nodiscard]] Save make_save(ByteView entry, Bytes data);
/// A directory entry for a save, without its first block.
[[nodiscard]] Bytes entry_for(const Save& save);
/// The save should have a header, and what stands there is none.
[[nodiscard]] bool lacks_header(const Save& save);
/// Why a save's own check fails; empty when it holds or there is none.
[[nodiscard]] std::string failed_check(const Save& save);

}  // namespace bayswap::dc
