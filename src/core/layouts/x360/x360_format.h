// Facts of x360 packages that their reader, writer, validator and rescue share. Big-endian, except
// where `le` stands.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"

namespace bayswap::x360 {

inline constexpr std::size_t kBlockSize = 4096;

// Header.
inline constexpr std::size_t kHeaderHash = 0x32C;   // SHA-1 from kContentType to the header's end
inline constexpr std::size_t kHeaderSize = 0x340;   // u32, rounded up to whole blocks
inline constexpr std::size_t kContentType = 0x344;  // u32
inline constexpr std::uint32_t kSavedGame = 1;
inline constexpr std::size_t kTitleId = 0x360;    // u32
inline constexpr std::size_t kProfileId = 0x371;  // 8
inline constexpr std::size_t kProfileSize = 8;
inline constexpr std::size_t kNames = 0x411;  // UTF-16BE, one for each language
inline constexpr std::size_t kNameSize = 128;
inline constexpr std::size_t kLanguages = 18;
inline constexpr std::size_t kTitleName = 0x1691;      // UTF-16BE
inline constexpr std::size_t kThumbnailSize = 0x1712;  // u32
inline constexpr std::size_t kThumbnail = 0x171A;
inline constexpr std::size_t kMostThumbnail = 0x4000;
inline constexpr std::uint64_t kLongestHeader = 1U << 20U;

// Volume descriptor.
inline constexpr std::size_t kDescriptorSize = 0x379;  // u8
inline constexpr std::uint8_t kDescriptor = 0x24;
inline constexpr std::size_t kSeparation = 0x37B;   // u8
inline constexpr std::size_t kTableBlocks = 0x37C;  // u16le
inline constexpr std::size_t kTableStart = 0x37E;   // u24le
inline constexpr std::size_t kRootHash = 0x381;     // 20
inline constexpr std::size_t kBlocksTotal = 0x395;  // u32, in use or freed
inline constexpr std::size_t kBlocksFree = 0x399;   // u32, how many of these are freed
inline constexpr std::size_t kLeastHeader = 0x39D;
inline constexpr unsigned kOneCopy = 1;     // bit 0 of the separation
inline constexpr unsigned kSecondRoot = 2;  // bit 1 of it

// Hash tables.
inline constexpr std::uint64_t kFanout = 170;
inline constexpr std::uint64_t kMostBlocks = kFanout * kFanout * kFanout;
inline constexpr std::size_t kHashEntry = 24;
inline constexpr std::size_t kStatus = 20;    // u8
inline constexpr std::size_t kNext = 21;      // u24be
inline constexpr std::size_t kCount = 0xFF0;  // u32
inline constexpr std::uint32_t kEnd = 0xFFFFFF;
inline constexpr unsigned kUnused = 0x00;
inline constexpr unsigned kFreed = 0x40;
inline constexpr unsigned kUsed = 0x80;        // C0, new, has it too
inline constexpr unsigned kSecondCopy = 0x40;  // of the table below, in an upper table

// File table.
inline constexpr std::size_t kEntrySize = 64;
inline constexpr std::size_t kEntryName = 0;
inline constexpr std::size_t kEntryNameSize = 40;
inline constexpr std::size_t kEntryFlags = 0x28;  // u8
inline constexpr unsigned kNameLengthMask = 0x3F;
inline constexpr unsigned kConsecutive = 0x40;
inline constexpr unsigned kFolder = 0x80;
inline constexpr std::size_t kEntryBlocks = 0x29;  // u24le, and again behind it
inline constexpr std::size_t kEntryBlocksAgain = 0x2C;
inline constexpr std::size_t kEntryStart = 0x2F;   // u24le
inline constexpr std::size_t kEntryParent = 0x32;  // u16
inline constexpr std::uint16_t kRoot = 0xFFFF;
inline constexpr std::uint32_t kMostTableBlocks = 1024;  // parents are counted in 16 bits
inline constexpr std::size_t kDeepest = 64;              // folders in folders that are followed
inline constexpr std::size_t kEntryFileSize = 0x34;      // u32
inline constexpr std::size_t kEntryModified = 0x38;      // DOS date and time
inline constexpr std::size_t kEntryRead = 0x3C;          // likewise

enum class Signer {
  console,    ///< `CON `, signed by the console that made it
  publisher,  ///< `LIVE` or `PIRS`
};

/// What the header says.
struct Header {
  Signer signer = Signer::console;
  std::string magic;
  std::uint64_t end = 0;  ///< bytes: where tables and data begin
  std::uint32_t content_type = 0;
  Game game;
  std::string display_name;
  Bytes thumbnail;
  unsigned copies = 1;  ///< of each hash table
  bool second_root = false;
  std::uint32_t table_blocks = 0;
  std::uint32_t table_start = 0;
  std::uint64_t total = 0;  ///< blocks in use or freed
  std::uint64_t free = 0;   ///< how many of these are freed

  /// Blocks of a file that has room for so many. Some writers count only those in use at 0x395; the
  /// file is then as much larger.
  [[nodiscard]] std::uint64_t blocks(std::uint64_t room) const {
    if (room > total && room <= total + free) return room;
    return room < total ? room : total;
  }
};

[[nodiscard]] bool has_magic(ByteView package);
/// Nothing when the bytes cannot be a package.
[[nodiscard]] std::optional<Header> parse_header(ByteView package);

/// The level of the root table: 0, 1 or 2.
[[nodiscard]] unsigned root_level(std::uint64_t blocks);

/// Where a data block stands, in blocks behind the header.
[[nodiscard]] std::uint64_t block_place(std::uint64_t block, unsigned copies);
/// Where the first copy of a hash table stands, in blocks behind the header.
[[nodiscard]] std::uint64_t table_place(unsigned level, std::uint64_t number, unsigned copies);
/// Data blocks that lie wholly in a file of so many bytes behind the header.
[[nodiscard]] std::uint64_t blocks_in(std::uint64_t size, unsigned copies);

[[nodiscard]] std::uint32_t u24le(ByteView bytes, std::uint64_t at);
[[nodiscard]] std::uint32_t u24be(ByteView bytes, std::uint64_t at);

/// One entry of the file table.
struct FileEntry {
  std::string name;
  bool folder = false;
  bool consecutive = false;
  std::uint32_t blocks = 0;
  std::uint32_t start = 0;
  std::uint16_t parent = kRoot;
  std::uint64_t size = 0;  ///< bytes
  Bytes raw;

  [[nodiscard]] bool exists() const { return !name.empty(); }
};
[[nodiscard]] FileEntry parse_file_entry(ByteView entry);

/// The path of an entry, folders first; nothing when its folders lead nowhere or in a circle.
[[nodiscard]] std::optional<std::string> path_of(const std::vector<FileEntry>& entries,
                                                 std::size_t place);

/// Whether a name can stand in the file table, and on the file systems that people copy to.
[[nodiscard]] bool is_file_name(std::string_view name);

[[nodiscard]] std::optional<Time> time_of_dos(std::uint32_t stamp);
[[nodiscard]] std::uint32_t dos_of_time(Time time);

/// One file of a package as a save.
[[nodiscard]] Save make_file(std::string path, const FileEntry& entry, Bytes data);

}  // namespace bayswap::x360
