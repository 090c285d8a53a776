#include "core/roms/whole_check.h"

#include <algorithm>
#include <bit>

#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

unsigned sum_of(ByteView bytes) {
  unsigned sum = 0;
  for (const std::byte byte : bytes) sum += to_u8(byte);
  return sum;
}

WholeCheck verdict(bool holds) {
  return holds ? WholeCheck::holds : WholeCheck::fails;
}

WholeCheck gb_check(ByteView rom) {
  constexpr std::size_t kSum = 0x14E;
  if (rom.size() < 0x150) return WholeCheck::none;
  const unsigned stored = Cursor(rom).u16be(kSum);
  const unsigned sum = sum_of(rom) - to_u8(rom[kSum]) - to_u8(rom[kSum + 1]);
  return verdict((sum & 0xFFFFU) == stored);
}

// Where the header's two sums are each other's complement.
std::optional<std::size_t> snes_header(ByteView rom) {
  for (const std::size_t at : {std::size_t{0x7FC0}, std::size_t{0xFFC0}}) {
    Cursor cursor(rom);
    const unsigned pair = unsigned{cursor.u16le(at + 0x1C)} + cursor.u16le(at + 0x1E);
    if (!cursor.overrun() && pair == 0xFFFF) return at;
  }
  return std::nullopt;
}

WholeCheck snes_check(ByteView rom) {
  const auto header = snes_header(rom);
  if (!header) return WholeCheck::none;
  const std::size_t half = std::bit_floor(rom.size());
  unsigned sum = sum_of(rom.first(half));
  // The rest of an odd size stands as often as it fits into another half.
  if (const std::size_t rest = rom.size() - half; rest > 0) {
    if (half % rest != 0) return WholeCheck::none;
    sum += sum_of(rom.subspan(half)) * static_cast<unsigned>(half / rest);
  }
  return verdict((sum & 0xFFFFU) == Cursor(rom).u16le(*header + 0x1E));
}

WholeCheck md_check(ByteView rom) {
  constexpr std::size_t kBody = 0x200;
  if (rom.size() <= kBody || rom.size() % 2 != 0) return WholeCheck::none;
  Cursor cursor(rom);
  unsigned sum = 0;
  for (std::size_t at = kBody; at < rom.size(); at += 2) sum += cursor.u16be(at);
  return verdict((sum & 0xFFFFU) == cursor.u16be(0x18E));
}

}  // namespace

WholeCheck whole_check_of(System system, ByteView rom) {
  switch (system) {
    case System::gb: return gb_check(rom);
    case System::snes: return snes_check(rom);
    case System::md: return md_check(rom);
    default: return WholeCheck::none;
  }
}

std::optional<std::uint64_t> rom_size_in(System system, ByteView header) {
  Cursor cursor(header);
  std::optional<std::uint64_t> size;
  if (system == System::gb && cursor.u8(0x148) <= 8) size = 0x8000ULL << cursor.u8(0x148);
  if (system == System::snes)
    if (const auto at = snes_header(header))
      if (const unsigned code = cursor.u8(*at + 0x17); code >= 5 && code <= 13)
        size = 1024ULL << code;
  if (system == System::md)
    if (const std::uint64_t end = cursor.u32be(0x1A4); end >= 0x7FFF && end < 0x1000000)
      size = end + 1;
  if (system == System::nes && cursor.u32be(0) == 0x4E45531A)
    size = 16 + 0x4000ULL * cursor.u8(4) + 0x2000ULL * cursor.u8(5);
  return cursor.overrun() ? std::nullopt : size;
}

}  // namespace bayswap
