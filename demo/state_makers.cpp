#include "demo/state_makers.h"

#include <random>

#include "bayswap/face.h"
#include "core/packing/packing.h"
#include "core/packing/png.h"
#include "demo/makers.h"

namespace bayswap::demo {
namespace {

constexpr std::size_t kMark = 8;
constexpr std::size_t kHead = 8;  // tag and length

}  // namespace

Bytes a2600_rom() {
  constexpr std::size_t kRom = 4096;
  return state_memory(kRom, 2600);
}

Bytes state_memory(std::size_t size, std::uint32_t seed) {
  std::mt19937 numbers(seed);  // the same on every machine
  Bytes bytes(size);
  for (std::byte& byte : bytes) byte = static_cast<std::byte>(numbers() & 0xFFU);
  return bytes;
}

Bytes screen_png(Art art) {
  Picture picture{160, 120, {}};
  const auto wide = [](unsigned five) {
    return static_cast<std::uint8_t>(five << 3U | five >> 2U);
  };
  for (std::size_t y = 0; y < picture.height; ++y)
    for (std::size_t x = 0; x < picture.width; ++x) {
      const auto& colour =
          art_colour(index_at(art, x * kArtSide / picture.width, y * kArtSide / picture.height));
      picture.pixels.push_back({wide(colour[0]), wide(colour[1]), wide(colour[2]), 255});
    }
  const auto png = png_of(picture);
  return png ? *png : Bytes{};
}

Bytes sectioned_state(const std::string& mark,
                      const std::vector<std::pair<std::string, Bytes>>& sections) {
  Bytes state(kMark);
  store_text(state, 0, mark, kMark);
  for (const auto& [tag, data] : sections) {
    const std::size_t at = state.size();
    state.resize(at + kHead);
    store_text(state, at, tag, 4);
    store(state, at + 4, data.size(), 4, false);
    append(state, data);
  }
  return state;
}

Bytes packed_state(const Bytes& state) {
  const auto packed = pack(state, Packing::zlib, {}, std::nullopt);
  return packed ? *packed : Bytes{};
}

}  // namespace bayswap::demo
