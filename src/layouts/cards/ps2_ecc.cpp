#include "layouts/cards/ps2_ecc.h"

#include <bit>
#include <cstring>

#include "bytes/cursor.h"

namespace bayswap::ps2 {
namespace {

constexpr Ecc kMask{0x77, 0x7F, 0x7F};
constexpr std::size_t kWords = kChunkSize / 8;

// Bits of a 64-bit word whose address has bit 0, 1 … 5 set.
constexpr std::array<std::uint64_t, 6> kAddressMasks{0xAAAAAAAAAAAAAAAAU, 0xCCCCCCCCCCCCCCCCU,
                                                     0xF0F0F0F0F0F0F0F0U, 0xFF00FF00FF00FF00U,
                                                     0xFFFF0000FFFF0000U, 0xFFFFFFFF00000000U};

std::uint64_t load_le(const std::byte* at) {
  std::uint64_t word = 0;
  std::memcpy(&word, at, sizeof word);
  if constexpr (std::endian::native == std::endian::big) {
    std::uint64_t swapped = 0;
    for (int i = 0; i < 8; ++i)
      swapped = swapped << 8U | (word >> (8U * static_cast<unsigned>(i)) & 0xFFU);
    return swapped;
  }
  return word;
}

unsigned parity(std::uint64_t word) {
  word ^= word >> 32U;
  word ^= word >> 16U;
  word ^= word >> 8U;
  word ^= word >> 4U;
  return 0x6996U >> (word & 0xFU) & 1U;
}

}  // namespace

Ecc ecc_of(ByteView chunk) {
  std::array<std::uint64_t, kWords> words{};
  for (std::size_t i = 0; i < kWords; ++i) words[i] = load_le(chunk.data() + i * 8);
  std::array<std::uint64_t, 4> by_word{};  // XOR of the words whose number has bit 0, 1, 2, 3 set
  std::uint64_t all = 0;
  for (std::size_t i = 0; i < kWords; ++i) {
    all ^= words[i];
    if ((i & 1U) != 0) by_word[0] ^= words[i];
    if ((i & 2U) != 0) by_word[1] ^= words[i];
    if ((i & 4U) != 0) by_word[2] ^= words[i];
    if ((i & 8U) != 0) by_word[3] ^= words[i];
  }
  unsigned ones = 0;  // bit k: parity over the data bits whose address has bit k set
  for (unsigned k = 0; k < kAddressMasks.size(); ++k) ones |= parity(all & kAddressMasks[k]) << k;
  for (unsigned k = 0; k < by_word.size(); ++k)
    ones |= parity(by_word[k]) << (kAddressMasks.size() + k);
  const unsigned zeros = parity(all) != 0 ? ones ^ 0x3FFU : ones;
  const unsigned not_ones = ~ones & 0x3FFU;
  const unsigned not_zeros = ~zeros & 0x3FFU;
  return {static_cast<std::uint8_t>((not_zeros & 7U) | (not_ones & 7U) << 4U),
          static_cast<std::uint8_t>(not_zeros >> 3U), static_cast<std::uint8_t>(not_ones >> 3U)};
}

EccState check_chunk(std::span<std::byte> chunk, ByteView stored) {
  const Ecc computed = ecc_of(chunk);
  Ecc difference{};
  int bits = 0;
  for (std::size_t i = 0; i < kEccSize; ++i) {
    difference[i] = static_cast<std::uint8_t>((computed[i] ^ to_u8(stored[i])) & kMask[i]);
    bits += std::popcount(difference[i]);
  }
  if (bits == 0) return EccState::sound;
  const bool pairs = ((difference[0] & 7U) ^ (difference[0] >> 4U)) == 7U &&
                     (difference[1] ^ difference[2]) == 0x7F;
  if (pairs) {
    chunk[difference[2]] ^= std::byte{1} << (difference[0] >> 4U);
    return EccState::mended;
  }
  return bits == 1 ? EccState::mended : EccState::broken;
}

}  // namespace bayswap::ps2
