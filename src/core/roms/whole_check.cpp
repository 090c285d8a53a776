#include "core/roms/whole_check.h"

#include <algorithm>
#include <bit>

#include "core/bytes/cursor.h"

namespace bayswap {
namespace {

constexpr std::size_t kBeginning = 0x10000;  // bytes
constexpr std::uint64_t kMdBody = 0x200;     // the header is not part of the sum

WholeCheck verdict_of(bool holds) {
  return holds ? WholeCheck::holds : WholeCheck::fails;
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

}  // namespace

RomChecksum::RomChecksum(System system, std::uint64_t size) : system_(system), size_(size) {}

void RomChecksum::add(ByteView piece) {
  const std::size_t wanted = std::min(kBeginning - beginning_.size(), piece.size());
  beginning_.insert(beginning_.end(), piece.begin(),
                    piece.begin() + static_cast<std::ptrdiff_t>(wanted));
  if (system_ == System::md) {
    for (std::size_t i = 0; i < piece.size(); ++i)
      if (seen_ + i >= kMdBody)
        sum_ += (seen_ + i) % 2 == 0 ? to_u8(piece[i]) * 256U : to_u8(piece[i]);
  } else if (system_ == System::gb || system_ == System::snes) {
    const std::uint64_t half = system_ == System::snes ? std::bit_floor(size_) : size_;
    const auto front = static_cast<std::size_t>(
        std::min<std::uint64_t>(half - std::min(half, seen_), piece.size()));
    for (const std::byte byte : piece.first(front)) sum_ += to_u8(byte);
    for (const std::byte byte : piece.subspan(front)) sum_end_ += to_u8(byte);
  }
  seen_ += piece.size();
}

WholeCheck RomChecksum::verdict() const {
  if (seen_ != size_ || size_ == 0) return WholeCheck::none;
  switch (system_) {
    case System::gb: return gb_verdict();
    case System::snes: return snes_verdict();
    case System::md: return md_verdict();
    default: return WholeCheck::none;
  }
}

WholeCheck RomChecksum::gb_verdict() const {
  constexpr std::size_t kSum = 0x14E;
  if (beginning_.size() < 0x150) return WholeCheck::none;
  const unsigned sum = sum_ - to_u8(beginning_[kSum]) - to_u8(beginning_[kSum + 1]);
  return verdict_of((sum & 0xFFFFU) == Cursor(beginning_).u16be(kSum));
}

WholeCheck RomChecksum::snes_verdict() const {
  const auto header = snes_header(beginning_);
  if (!header) return WholeCheck::none;
  const std::uint64_t half = std::bit_floor(size_);
  unsigned sum = sum_;
  // The rest of an odd size stands as often as it fits into another half.
  if (const std::uint64_t rest = size_ - half; rest > 0) {
    if (half % rest != 0) return WholeCheck::none;
    sum += sum_end_ * static_cast<unsigned>(half / rest);
  }
  return verdict_of((sum & 0xFFFFU) == Cursor(beginning_).u16le(*header + 0x1E));
}

WholeCheck RomChecksum::md_verdict() const {
  if (size_ <= kMdBody || size_ % 2 != 0) return WholeCheck::none;
  return verdict_of((sum_ & 0xFFFFU) == Cursor(beginning_).u16be(0x18E));
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
