// Facts of saturn backup memory that its reader, writer, validator and rescue share. Big-endian.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"
#include "core/layouts/common/chains.h"

namespace bayswap::saturn {

inline constexpr std::string_view kMark = "BackUpRam Format";  // over and over in block 0
inline constexpr std::uint32_t kFirstBlock = 2;                // block 1 is unused

/// The two memories: inside the console and in a cartridge.
struct Geometry {
  std::size_t block_size = 0;  ///< bytes
  std::uint32_t blocks = 0;    ///< with the two that hold no saves
  [[nodiscard]] std::size_t size() const { return block_size * blocks; }
  [[nodiscard]] std::uint32_t users() const { return blocks - kFirstBlock; }
};
inline constexpr Geometry kInternal{64, 512};
inline constexpr Geometry kCartridge{512, 1024};

// A block begins with a tag; that of a save's first block is followed by the save's header.
inline constexpr std::size_t kTagSize = 4;
inline constexpr std::uint32_t kStartTag = 0x80000000U;
inline constexpr std::size_t kHeaderSize = 30;
// Fields of the header, behind the tag.
inline constexpr std::size_t kName = 0;
inline constexpr std::size_t kNameLength = 11;
inline constexpr std::size_t kLanguage = 11;  // u8
inline constexpr std::size_t kComment = 12;
inline constexpr std::size_t kCommentLength = 10;
inline constexpr std::size_t kDate = 22;  // u32, minutes since 1980-01-01
inline constexpr std::size_t kSize = 26;  // u32, bytes of data

inline constexpr std::string_view kDataPart = "data";

/// Whether the memory is stored doubled, its bytes at odd offsets.
[[nodiscard]] bool is_doubled(ByteView file);
/// Which memory a file of plain bytes holds, whole or cut short.
[[nodiscard]] Geometry geometry_of(ByteView plain);
/// How many of the format text's places in the first block hold it, and how many there are.
struct MarkCount {
  std::size_t right = 0;
  std::size_t places = 0;
};
[[nodiscard]] MarkCount count_marks(ByteView plain, const Geometry& geometry);

/// Blocks that a save of so many bytes takes: its header, its list and its data share them.
[[nodiscard]] std::uint32_t blocks_for(std::uint64_t size, const Geometry& geometry);

[[nodiscard]] std::uint32_t tag_of(ByteView memory, const Geometry& geometry, std::uint32_t block);
[[nodiscard]] ByteView block_at(ByteView memory, const Geometry& geometry, std::uint32_t block);

/// The blocks of a save, by its list, and why the list makes no sense.
struct Extent {
  Chain chain;             ///< counted from 0 for block 2, as in Card::map
  std::uint32_t size = 0;  ///< bytes of data
  bool sized = false;      ///< the size can be that of a save
};
[[nodiscard]] Extent extent_of(ByteView memory, const Geometry& geometry, std::uint32_t first);

/// Size and name can be those of a save, whatever letters the name has.
[[nodiscard]] bool is_sensible_header(ByteView header, const Geometry& geometry);

/// A name of letters, and a size that the memory could hold.
[[nodiscard]] bool is_plausible_header(ByteView header, const Geometry& geometry);

/// The save in these blocks, which a sound extent gave.
[[nodiscard]] Save read_save(ByteView memory, const Geometry& geometry, const Extent& extent);
[[nodiscard]] Save make_save(ByteView header, Bytes data);
/// The header of 30 bytes for a save.
[[nodiscard]] Bytes header_for(const Save& save);

}  // namespace bayswap::saturn
