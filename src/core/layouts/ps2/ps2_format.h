// Facts of ps2 cards that their reader, writer, validator and rescue share. Little-endian.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/result.h"
#include "bayswap/save.h"

namespace bayswap::ps2 {

inline constexpr std::size_t kPageSize = 512;
inline constexpr std::size_t kSpareSize = 16;
inline constexpr std::size_t kRawPageSize = kPageSize + kSpareSize;
inline constexpr std::size_t kClusterSize = 1024;
inline constexpr std::size_t kPagesPerCluster = 2;
inline constexpr std::uint32_t kClustersPerBlock = 8;  // of an erase block of 16 pages
inline constexpr std::uint32_t kEntriesPerCluster = kClusterSize / 4;

// Superblock.
inline constexpr std::string_view kMagic = "Sony PS2 Memory Card Format ";
inline constexpr std::string_view kVersion = "1.2.0.0";
inline constexpr std::size_t kVersionOffset = 0x1C;
inline constexpr std::size_t kPageSizeOffset = 0x28;         // u16
inline constexpr std::size_t kPagesPerClusterOffset = 0x2A;  // u16
inline constexpr std::uint32_t kNoBadBlock = 0xFFFFFFFFU;
inline constexpr std::size_t kPagesPerBlockOffset = 0x2C;  // u16
inline constexpr std::size_t kUnknown = 0x2E;              // u16, FF00
inline constexpr std::size_t kClusters = 0x30;             // u32
inline constexpr std::size_t kAllocFirst = 0x34;           // u32, absolute
inline constexpr std::size_t kAllocEnd = 0x38;             // u32, counted from kAllocFirst
inline constexpr std::size_t kRootCluster = 0x3C;          // u32, relative
inline constexpr std::size_t kBackupBlocks = 0x40;         // 2 × u32, erase blocks
inline constexpr std::size_t kIndirect = 0x50;             // 32 × u32, absolute clusters
inline constexpr std::size_t kBadBlocks = 0xD0;            // 32 × u32, FFFFFFFF unused
inline constexpr std::size_t kListLength = 32;
inline constexpr std::size_t kCardType = 0x150;   // u8, 2
inline constexpr std::size_t kCardFlags = 0x151;  // u8
inline constexpr std::uint8_t kErasedToZeros = 0x10;

// The allocation table.
inline constexpr std::uint32_t kUsedBit = 0x80000000U;
inline constexpr std::uint32_t kChainEnd = 0x7FFFFFFFU;
inline constexpr std::uint32_t kNoCluster = 0xFFFFFFFFU;  // first cluster of an empty file

// Directory entries.
inline constexpr std::size_t kEntrySize = 512;
inline constexpr std::size_t kMode = 0x00;      // u16
inline constexpr std::size_t kLength = 0x04;    // u32, bytes; entries for a directory
inline constexpr std::size_t kCreated = 0x08;   // 8
inline constexpr std::size_t kCluster = 0x10;   // u32, relative
inline constexpr std::size_t kOwnIndex = 0x14;  // u32, in `.` only
inline constexpr std::size_t kModified = 0x18;  // 8
inline constexpr std::size_t kName = 0x40;      // 32
inline constexpr std::size_t kNameLength = 32;
inline constexpr std::uint16_t kExists = 0x8000;
inline constexpr std::uint16_t kDirectoryBit = 0x0020;
inline constexpr std::uint16_t kFileBit = 0x0010;
inline constexpr std::uint16_t kUsualDirectory = 0x8427;
inline constexpr std::uint16_t kUsualFile = 0x8497;
inline constexpr std::uint16_t kRootParent = 0xA426;

struct Geometry {
  std::uint32_t clusters = 0;
  std::uint32_t alloc_first = 0;
  std::uint32_t alloc_end = 0;
  std::uint32_t root = 0;
  std::array<std::uint32_t, 2> backup{};
  std::array<std::uint32_t, kListLength> indirect{};
  std::array<std::uint32_t, kListLength> bad_blocks{};

  /// Clusters that a console allocates, the root directory's first one among them.
  [[nodiscard]] std::uint32_t usable() const;
};

/// The geometry of a new card of so many clusters.
[[nodiscard]] Geometry usual_geometry(std::uint32_t clusters);
/// From the superblock; nothing when it makes no sense.
[[nodiscard]] std::optional<Geometry> parse_superblock(ByteView plain);
[[nodiscard]] Bytes superblock_for(const Geometry& geometry);

struct Entry {
  std::uint16_t mode = 0;
  std::uint32_t length = 0;
  std::uint32_t cluster = 0;
  std::uint32_t own_index = 0;
  std::string name;  ///< printable ASCII; a `/` is shown as `?`

  [[nodiscard]] bool exists() const { return (mode & kExists) != 0; }
  [[nodiscard]] bool directory() const { return (mode & kDirectoryBit) != 0; }
};

/// The entry must have 512 bytes.
[[nodiscard]] Entry parse_entry(ByteView raw);
[[nodiscard]] std::optional<Time> parse_time(ByteView stored);
/// Stored in UTC+9.
void store_time(std::span<std::byte> field, Time time);

/// An entry with this mode, length, cluster and name; the rest as in `like`, when it has one.
[[nodiscard]] Bytes entry_for(ByteView like, std::uint16_t mode, std::uint64_t length,
                              std::uint32_t cluster, std::string_view name,
                              const std::optional<Time>& time);

/// What the save's `icon.sys` says: its title, the two lines joined by a newline.
[[nodiscard]] std::string title_of(ByteView icon_sys);

/// Fills in game, comment and time of a save from its name, entry and files.
void describe(Save& save);

/// Whether a file of `held` bytes may be what is left of a card of `whole` bytes. What a superblock
/// claims beyond the file costs memory, and holds nothing.
[[nodiscard]] constexpr bool is_believable(std::uint64_t whole, std::uint64_t held) {
  constexpr std::uint64_t kFree = 64U << 20U;
  return whole <= kFree || whole / 4 <= held;
}

}  // namespace bayswap::ps2
