#include "core/layouts/ps2/ps2_ecc.h"

#include <bit>
#include <cstring>

#include "core/bytes/cursor.h"

namespace bayswap::ps2 {
namespace {

constexpr Ecc kMask{0x77, 0x7F, 0x7F};

// For every byte: bit 0, 1, 2: parity over its bits whose number has bit 0, 1, 2 set; bit 3: over
// all of its bits.
constexpr std::array<std::uint8_t, 256> parities() {
  std::array<std::uint8_t, 256> table{};
  constexpr std::array<unsigned, 4> kMasks{0xAA, 0xCC, 0xF0, 0xFF};
  for (unsigned byte = 0; byte < table.size(); ++byte)
    for (unsigned k = 0; k < kMasks.size(); ++k)
      table[byte] =
          static_cast<std::uint8_t>(table[byte] | (std::popcount(byte & kMasks[k]) & 1) << k);
  return table;
}
constexpr std::array<std::uint8_t, 256> kParities = parities();

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

// Bit n: parity of byte n of the word.
unsigned byte_parities(std::uint64_t word) {
  word ^= word >> 4U;
  word ^= word >> 2U;
  word ^= word >> 1U;
  word &= 0x0101010101010101U;
  return static_cast<unsigned>((word * 0x0102040810204080U) >> 56U);
}

// Bit n: parity of the n-th of four words, which are folded side by side.
unsigned word_parities(const std::array<std::uint64_t, 4>& words) {
  const auto halves = [](std::uint64_t low, std::uint64_t high) {
    return ((low ^ low >> 32U) & 0xFFFFFFFFU) | (high ^ high >> 32U) << 32U;
  };
  std::uint64_t first = halves(words[0], words[1]);
  std::uint64_t second = halves(words[2], words[3]);
  first = (first ^ first >> 16U) & 0x0000FFFF0000FFFFU;
  second = (second ^ second >> 16U) & 0x0000FFFF0000FFFFU;
  const unsigned bytes = byte_parities(first | second << 16U);
  // Two bytes of each word are side by side: word 0 in bytes 0 and 1, 2 in 2 and 3, 1 in 4 and 5.
  const unsigned pairs = bytes ^ bytes >> 1U;
  return (pairs & 1U) | (pairs >> 4U & 1U) << 1U | (pairs >> 2U & 1U) << 2U |
         (pairs >> 6U & 1U) << 3U;
}

}  // namespace

Ecc ecc_of(ByteView chunk) {
  // Words are folded onto each other; what is folded away at a step has that bit of its number set.
  std::array<std::uint64_t, 8> eights{};
  std::array<std::uint64_t, 4> by_word{};  // XOR of the words whose number has bit 0, 1, 2, 3 set
  for (std::size_t i = 0; i < eights.size(); ++i) {
    const std::uint64_t upper = load_le(chunk.data() + (i + 8) * 8);
    eights[i] = load_le(chunk.data() + i * 8) ^ upper;
    by_word[3] ^= upper;
  }
  std::array<std::uint64_t, 4> fours{};
  for (std::size_t i = 0; i < fours.size(); ++i) {
    fours[i] = eights[i] ^ eights[i + 4];
    by_word[2] ^= eights[i + 4];
  }
  by_word[1] = fours[2] ^ fours[3];
  by_word[0] = fours[1] ^ fours[3];
  const std::uint64_t all = fours[0] ^ fours[2] ^ by_word[0];
  // Bit k of `ones`: parity over the data bits whose address has bit k set.
  std::uint64_t folded = all ^ all >> 32U;
  folded ^= folded >> 16U;
  folded ^= folded >> 8U;
  const unsigned in_byte = kParities[folded & 0xFFU];
  const unsigned in_word = kParities[byte_parities(all)];
  const unsigned ones = (in_byte & 7U) | (in_word & 7U) << 3U | word_parities(by_word) << 6U;
  const unsigned zeros = (in_byte & 8U) != 0 ? ones ^ 0x3FFU : ones;
  const unsigned not_ones = ~ones & 0x3FFU;
  const unsigned not_zeros = ~zeros & 0x3FFU;
  return {static_cast<std::uint8_t>((not_zeros & 7U) | (not_ones & 7U) << 4U),
          static_cast<std::uint8_t>(not_zeros >> 3U), static_cast<std::uint8_t>(not_ones >> 3U)};
}

EccState check_chunk(std::span<std::byte> chunk, ByteView stored) {
  const Ecc computed = ecc_of(chunk);
  Ecc difference{};
  for (std::size_t i = 0; i < kEccSize; ++i)
    difference[i] = static_cast<std::uint8_t>((computed[i] ^ to_u8(stored[i])) & kMask[i]);
  if (difference == Ecc{}) return EccState::sound;
  const bool pairs = ((difference[0] & 7U) ^ (difference[0] >> 4U)) == 7U &&
                     (difference[1] ^ difference[2]) == 0x7F;
  if (pairs) {
    chunk[difference[2]] ^= std::byte{1} << (difference[0] >> 4U);
    return EccState::mended;
  }
  int bits = 0;
  for (const std::uint8_t byte : difference) bits += std::popcount(byte);
  return bits == 1 ? EccState::mended : EccState::broken;
}

}  // namespace bayswap::ps2
