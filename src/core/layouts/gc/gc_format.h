// Facts of gc cards that their reader, writer, validator and rescue share. Big-endian.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"

namespace bayswap::gc {

inline constexpr std::size_t kBlockSize = 8192;
inline constexpr std::uint32_t kSystemBlocks = 5;
inline constexpr std::size_t kBlocksPerMbit = 16;
inline constexpr std::array<std::uint32_t, 6> kCapacities{59, 123, 251, 507, 1019, 2043};
inline constexpr std::uint32_t kDefaultCapacity = 251;

// Header, block 0.
inline constexpr std::size_t kFormatTime = 0x0C;    // u64
inline constexpr std::size_t kBias = 0x14;          // u32
inline constexpr std::size_t kLanguage = 0x18;      // u32
inline constexpr std::size_t kSlot = 0x20;          // u16
inline constexpr std::size_t kMbit = 0x22;          // u16
inline constexpr std::size_t kEncoding = 0x24;      // u16, 0 Latin, 1 Shift-JIS
inline constexpr std::size_t kHeaderCheck = 0x1FC;  // over the bytes before; inverse behind it

// Directory and its spare, blocks 1 and 2.
inline constexpr std::size_t kEntrySize = 64;
inline constexpr std::size_t kEntries = 127;
inline constexpr std::size_t kDirectoryCounter = 0x1FFA;
inline constexpr std::size_t kDirectoryCheck = 0x1FFC;

// Allocation map and its spare, blocks 3 and 4.
inline constexpr std::size_t kMapCheck = 0;
inline constexpr std::size_t kMapChecked = 4;  // the check covers from here to the end
inline constexpr std::size_t kMapCounter = 4;
inline constexpr std::size_t kMapFree = 6;
inline constexpr std::size_t kMapLast = 8;
inline constexpr std::size_t kMapEntries = 10;  // u16 for each block from 5 on
inline constexpr std::uint16_t kMapEnd = 0xFFFF;

// Fields of a directory entry.
inline constexpr std::size_t kCode = 0x00;    // 4
inline constexpr std::size_t kMaker = 0x04;   // 2
inline constexpr std::size_t kBanner = 0x07;  // u8: 1 palette, 2 RGB5A3; bit 2 back and forth
inline constexpr std::size_t kName = 0x08;    // 32
inline constexpr std::size_t kNameLength = 32;
inline constexpr std::size_t kModified = 0x28;       // u32, seconds since 2000-01-01
inline constexpr std::size_t kPictureOffset = 0x2C;  // u32
inline constexpr std::size_t kIconFormats = 0x30;    // u16, two bits each, first icon lowest
inline constexpr std::size_t kIconSpeeds = 0x32;     // u16, likewise; 0 ends
inline constexpr std::size_t kRights = 0x34;         // u8: 04 public, 08 no copy, 10 no move
inline constexpr std::size_t kFirstBlock = 0x36;     // u16, absolute
inline constexpr std::size_t kBlockCount = 0x38;     // u16
inline constexpr std::size_t kCommentOffset = 0x3C;  // u32, two lines of 32
inline constexpr std::size_t kCommentLine = 32;

inline constexpr std::string_view kDataPart = "data";

/// The sum of the 16-bit words, and the sum of their complements; FFFF is stored as 0.
struct Checks {
  std::uint16_t sum = 0;
  std::uint16_t inverse = 0;

  bool operator==(const Checks&) const = default;
};
[[nodiscard]] Checks checks_of(ByteView bytes);

struct Entry {
  std::string code;
  std::string maker;
  std::string name;
  std::uint32_t modified = 0;
  std::uint16_t first = 0;
  std::uint16_t blocks = 0;
  std::uint32_t comment = 0;
};

[[nodiscard]] Entry parse_entry(ByteView entry);
/// Neither erased nor senseless.
[[nodiscard]] bool is_entry(ByteView entry);

/// A system block of a card: 0 header, 1 and 2 directory, 3 and 4 map.
[[nodiscard]] ByteView block_of(ByteView card, std::uint32_t block);

[[nodiscard]] bool header_holds(ByteView header);
[[nodiscard]] bool directory_holds(ByteView directory);
[[nodiscard]] bool map_holds(ByteView map);

/// The place (0 or 1) of the copy that counts: the one that holds with the higher counter, which
/// compares signed. Nothing when neither holds.
[[nodiscard]] std::optional<std::uint32_t> current_directory(ByteView card);
[[nodiscard]] std::optional<std::uint32_t> current_map(ByteView card);

/// Blocks that a user can fill, by the header or by the size of the file. 0 when neither tells.
[[nodiscard]] std::uint32_t capacity_of(ByteView file);

/// The map's entry for a block, counted from 0 for the first one behind the card's own.
[[nodiscard]] std::uint16_t map_entry(ByteView map, std::uint32_t block);

/// A save from its entry and data. `shift_jis`: how its text is stored.
[[nodiscard]] Save make_save(ByteView entry, Bytes data, bool shift_jis);

/// A directory entry for a save; the first block is left as it was.
[[nodiscard]] Bytes entry_for(const Save& save);

/// Code, maker and name together.
[[nodiscard]] std::string identity_of(const Save& save);

}  // namespace bayswap::gc
