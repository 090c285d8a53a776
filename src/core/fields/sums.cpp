#include "core/fields/sums.h"

#include "core/fields/bits.h"

namespace bayswap::fields {
namespace {

// Units in the checksum's byte order; what is missing in the last one counts as 00.
template <class Add>
void each_unit(const Checksum& sum, ByteView bytes, const Add& add) {
  const std::size_t width = sum.unit / 8;
  for (std::size_t at = 0; at < bytes.size(); at += width) {
    std::uint64_t value = 0;
    for (std::size_t i = 0; i < width; ++i) {
      const std::size_t place = sum.order == std::endian::big ? i : width - 1 - i;
      const std::uint64_t byte = at + place < bytes.size() ? to_u8(bytes[at + place]) : 0;
      value = value << 8U | byte;
    }
    add(value);
  }
}

// The bits in the other order.
std::uint64_t turned(std::uint64_t value, unsigned width) {
  std::uint64_t out = 0;
  for (unsigned bit = 0; bit < width; ++bit) out |= (value >> bit & 1U) << (width - 1 - bit);
  return out;
}

std::uint64_t crc_of(const Checksum& sum, ByteView bytes) {
  const CrcTable table(sum);
  std::uint64_t crc = sum.start & low_bits(sum.crc_bits);
  for (const std::byte byte : bytes) crc = table.next(crc, to_u8(byte));
  if (sum.reflected != sum.reflected_out) crc = turned(crc, sum.crc_bits);
  return crc ^ sum.final_xor;
}

}  // namespace

CrcTable::CrcTable(const Checksum& sum)
    : reflected_(sum.reflected), width_(sum.crc_bits), mask_(low_bits(sum.crc_bits)) {
  const std::uint64_t top = 1ULL << (width_ - 1);
  for (std::uint64_t i = 0; i < table_.size(); ++i) {
    std::uint64_t crc = reflected_ ? i : i << (width_ - 8);
    for (int bit = 0; bit < 8; ++bit) {
      const bool over = (crc & (reflected_ ? 1 : top)) != 0;
      crc = reflected_ ? crc >> 1U : crc << 1U;
      if (over) crc ^= sum.polynomial;
    }
    table_[i] = crc & mask_;
  }
}

std::uint64_t sum_of(const Checksum& sum, ByteView bytes) {
  std::uint64_t value = sum.start;
  switch (sum.kind) {
    case Checksum::Kind::sum:
      each_unit(sum, bytes, [&](std::uint64_t unit) { value += unit; });
      break;
    case Checksum::Kind::exclusive_or:
      each_unit(sum, bytes, [&](std::uint64_t unit) { value ^= unit; });
      break;
    case Checksum::Kind::crc: value = crc_of(sum, bytes); break;
  }
  value += sum.plus;
  if (sum.complement == Checksum::Complement::ones) value = ~value;
  if (sum.complement == Checksum::Complement::twos) value = 0 - value;
  return value & low_bits(sum.width);
}

}  // namespace bayswap::fields
