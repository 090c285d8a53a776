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

std::uint64_t crc_of(const Checksum& sum, ByteView bytes) {
  const std::uint64_t top = 1ULL << (sum.width - 1);
  std::uint64_t crc = sum.start & low_bits(sum.width);
  for (const std::byte byte : bytes) {
    if (sum.reflected) {
      crc ^= to_u8(byte);
      for (int bit = 0; bit < 8; ++bit)
        crc = (crc & 1U) != 0 ? crc >> 1U ^ sum.polynomial : crc >> 1U;
      continue;
    }
    crc ^= static_cast<std::uint64_t>(to_u8(byte)) << (sum.width - 8);
    for (int bit = 0; bit < 8; ++bit)
      crc = (crc & top) != 0 ? crc << 1U ^ sum.polynomial : crc << 1U;
  }
  return crc ^ sum.final_xor;
}

}  // namespace

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
