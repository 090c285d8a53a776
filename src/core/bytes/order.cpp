#include "core/bytes/order.h"

#include <cstdint>
#include <cstring>

namespace bayswap {
namespace {

// memcpy keeps the loads legal for any alignment; compilers turn the loop into vector shuffles.
template <class Word, class Swap>
void swap_words(std::span<std::byte> data, Swap swap) {
  std::byte* at = data.data();
  for (std::size_t left = data.size() / sizeof(Word); left > 0; --left, at += sizeof(Word)) {
    Word word = 0;
    std::memcpy(&word, at, sizeof word);
    word = swap(word);
    std::memcpy(at, &word, sizeof word);
  }
}

}  // namespace

void reverse_units(std::span<std::byte> data, std::size_t unit) {
  if (unit == 2) {
    swap_words<std::uint16_t>(data, [](std::uint16_t w) { return __builtin_bswap16(w); });
  } else if (unit == 4) {
    swap_words<std::uint32_t>(data, [](std::uint32_t w) { return __builtin_bswap32(w); });
  } else if (unit == 8) {
    swap_words<std::uint64_t>(data, [](std::uint64_t w) { return __builtin_bswap64(w); });
  }
}

}  // namespace bayswap
