// Facts of ps1 cards that their reader, writer, validator and rescue share. Little-endian.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/save.h"

namespace bayswap::ps1 {

inline constexpr std::size_t kFrameSize = 128;
inline constexpr std::size_t kBlockSize = 8192;
inline constexpr std::uint32_t kBlocks = 15;  // that a user can fill
inline constexpr std::size_t kCardSize = (kBlocks + 1) * kBlockSize;

// Frames of block 0.
inline constexpr std::size_t kDirectoryFrame = 1;  // one for each block
inline constexpr std::size_t kBrokenList = 16;     // 20 frames
inline constexpr std::size_t kReplacements = 36;   // 20 frames of raw data
inline constexpr std::size_t kBrokenCount = 20;
inline constexpr std::size_t kLastHeaderFrame = 63;  // repeats frame 0

// Fields of a directory frame.
inline constexpr std::size_t kState = 0x00;  // u32
inline constexpr std::size_t kSize = 0x04;   // u32, bytes, first block only
inline constexpr std::size_t kNext = 0x08;   // u16, counted from 0 for block 1
inline constexpr std::size_t kName = 0x0A;   // 20 and a NUL
inline constexpr std::size_t kNameLength = 20;
inline constexpr std::size_t kFrameCheck = 0x7F;  // XOR of the bytes before

inline constexpr std::uint32_t kFirst = 0x51;
inline constexpr std::uint32_t kMiddle = 0x52;
inline constexpr std::uint32_t kLast = 0x53;
inline constexpr std::uint32_t kFree = 0xA0;
inline constexpr std::uint32_t kDeletedFirst = 0xA1;
inline constexpr std::uint32_t kDeletedMiddle = 0xA2;
inline constexpr std::uint32_t kDeletedLast = 0xA3;
inline constexpr std::uint16_t kNoNext = 0xFFFF;

// Fields of a save's first block.
inline constexpr std::size_t kIconKind = 2;    // 0x11, 0x12, 0x13: one to three pictures
inline constexpr std::size_t kBlockCount = 3;  // u8
inline constexpr std::size_t kTitle = 4;       // 64 bytes, Shift-JIS
inline constexpr std::size_t kTitleLength = 64;
inline constexpr std::size_t kPalette = 0x60;  // 16 × u16, five bits each of red, green, blue
inline constexpr std::size_t kPictures = 0x80;
inline constexpr std::size_t kPictureSize = 128;  // 16×16, 4 bits, low nibble left

[[nodiscard]] std::uint8_t frame_check(ByteView frame);
[[nodiscard]] bool frame_holds(ByteView frame);
void seal_frame(std::span<std::byte> frame);

struct DirectoryFrame {
  std::uint32_t state = 0;
  std::uint32_t size = 0;
  std::uint16_t next = 0;
  std::string name;
  bool holds = false;  ///< its check is right

  [[nodiscard]] bool in_use() const { return state >= kFirst && state <= kLast; }
  [[nodiscard]] bool free() const { return state >= kFree && state <= kDeletedLast; }
};

/// The frame must have 128 bytes.
[[nodiscard]] DirectoryFrame parse_frame(ByteView frame);

/// The block's directory frame inside a whole card; blocks are counted from 0 for block 1.
[[nodiscard]] ByteView frame_of(ByteView card, std::uint32_t block);

/// The place where a data frame really lies: broken ones are replaced by frames of block 0.
[[nodiscard]] std::vector<std::pair<std::size_t, std::size_t>> replaced_frames(ByteView card);

/// The bytes of blocks, with broken frames taken from their replacements.
[[nodiscard]] Bytes data_of(ByteView card, const std::vector<std::uint32_t>& blocks);

/// True when the bytes begin as a save does; `blocks` is then what the save says of itself.
[[nodiscard]] bool is_save_start(ByteView data);
[[nodiscard]] std::uint32_t own_block_count(ByteView data);

/// A save from its directory frame and data.
[[nodiscard]] Save make_save(ByteView frame, Bytes data);

/// Where a frame's name ends; only zeros stand from there to the check.
[[nodiscard]] std::size_t name_end(ByteView frame);
/// Clears what stands behind a name, and makes the check right.
void clear_behind_name(std::span<std::byte> frame);

/// A directory frame for a save that begins in one block; next is FFFF.
[[nodiscard]] Bytes frame_for(const Save& save);

/// The one part of a save.
inline constexpr std::string_view kDataPart = "data";

}  // namespace bayswap::ps1
