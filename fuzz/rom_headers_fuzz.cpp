// Every ROM header reader on any bytes; the first bytes place the rest where headers lie.
#include <cstdlib>

#include "bayswap/rom.h"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace bayswap;
  if (size < 2) return 0;
  static constexpr std::size_t kPlaces[] = {0, 0x100, 0x134, 0x7FB0, 0x7FF0, 0xFFB0, 0xA0, 0x160};
  const std::size_t place = kPlaces[data[0] % 8];
  Bytes rom(place + 0x40 + size);
  for (std::size_t i = 1; i < size; ++i) rom[place + i - 1] = static_cast<std::byte>(data[i]);
  const auto info = read_rom(rom, data[0] % 3 == 0 ? std::uint64_t{data[1]} << 15U : rom.size());
  if (!info) return 0;
  for (const char c : info->game.title + info->game.code + info->game.maker)
    if (static_cast<unsigned char>(c) < 0x20) std::abort();
  return 0;
}
