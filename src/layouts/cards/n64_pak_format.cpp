#include "layouts/cards/n64_pak_format.h"

#include <algorithm>
#include <array>

#include "bytes/cursor.h"
#include "bytes/fill.h"

namespace bayswap {
namespace {

constexpr std::array<std::size_t, 4> kIdOffsets{0x20, 0x60, 0x80, 0xC0};
constexpr std::size_t kIdWords = 14;      // u16be summed by the check
constexpr std::size_t kIdDevice = 0x18;   // u16be, bit 0 set
constexpr std::size_t kIdBanks = 0x1A;    // u8, 1
constexpr std::size_t kIdCheck = 0x1C;    // u16be
constexpr std::size_t kIdInverse = 0x1E;  // u16be, FFF2 - check
constexpr std::size_t kNotesOffset = 0x300;
constexpr std::size_t kNoteSize = 32;
constexpr std::size_t kNoteCount = 16;
constexpr std::size_t kNoteKey = 6;  // game code and maker

bool id_holds(ByteView block) {
  Cursor cursor(block);
  std::uint16_t sum = 0;
  for (std::size_t i = 0; i < kIdWords; ++i)
    sum = static_cast<std::uint16_t>(sum + cursor.u16be(i * 2));
  const auto inverse = static_cast<std::uint16_t>(0xFFF2U - sum);
  return cursor.u16be(kIdCheck) == sum && cursor.u16be(kIdInverse) == inverse &&
         (cursor.u16be(kIdDevice) & 1U) != 0 && cursor.u8(kIdBanks) == 1;
}

}  // namespace

bool pak_has_id(ByteView pak) {
  if (pak.size() != kPakSize) return false;
  return std::any_of(kIdOffsets.begin(), kIdOffsets.end(),
                     [&](std::size_t offset) { return id_holds(pak.subspan(offset, 0x20)); });
}

std::size_t pak_notes(ByteView pak) {
  std::size_t used = 0;
  for (std::size_t i = 0; i < kNoteCount; ++i)
    if (!is_filled(pak.subspan(kNotesOffset + i * kNoteSize, kNoteKey), kErasedZero)) ++used;
  return used;
}

bool pak_is_empty(ByteView pak) {
  return pak_has_id(pak) && pak_notes(pak) == 0;
}

}  // namespace bayswap
