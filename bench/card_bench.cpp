// Cards beside a copy of their bytes: a full 8 MiB ps2 card with its error-correcting code, read
// and written, and the pictures of a full gc card.
#include <benchmark/benchmark.h>

#include <cstring>
#include <random>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "core/packing/png.h"
#include "demo/card_makers.h"

namespace {

using namespace bayswap;

constexpr std::size_t kCard = 8'650'752;

// 76 saves of about 100 KiB fill the card.
const Bytes& full_card() {
  static const Bytes card = [] {
    std::vector<Save> saves;
    for (unsigned i = 0; i < 76; ++i) {
      Save save = demo::ps2_save("BASLUS-" + std::to_string(20000 + i) + "FULL", "Full", "", 92'000,
                                 0x406080, i);
      std::mt19937 numbers(i);
      for (std::byte& byte : save.parts.back().data) byte = static_cast<std::byte>(numbers());
      saves.push_back(std::move(save));
    }
    return demo::card_with("ps2-card-ecc", 8000, saves);
  }();
  return card;
}

const CardLayout& layout(const char* id) {
  return *as_card(*find_layout(id));
}

void count(benchmark::State& state) {
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) *
                          static_cast<std::int64_t>(kCard));
}

void copy_card(benchmark::State& state) {
  const Bytes& card = full_card();
  Bytes copy(card.size());
  for (auto _ : state) {
    std::memcpy(copy.data(), card.data(), card.size());
    benchmark::ClobberMemory();
  }
  count(state);
}
BENCHMARK(copy_card);

void read_card(benchmark::State& state) {
  const Bytes& card = full_card();
  for (auto _ : state) benchmark::DoNotOptimize(layout("ps2-card-ecc").open(card));
  count(state);
}
BENCHMARK(read_card);

// A save of 100 KiB is replaced; everything else is checked and copied.
void write_card(benchmark::State& state) {
  const Bytes& card = full_card();
  const Save save = layout("ps2-card-ecc").open(card)->saves[40].save;
  for (auto _ : state)
    benchmark::DoNotOptimize(layout("ps2-card-ecc").change(card, {{40}, {save}}));
  count(state);
}
BENCHMARK(write_card);

// From plain pages: the code of every page is made.
void write_all_codes(benchmark::State& state) {
  const auto read = layout("ps2-card-ecc").open(full_card());
  std::vector<Save> saves;
  for (const CardSave& on_card : read->saves) saves.push_back(on_card.save);
  const auto plain = layout("ps2-card").write({saves, ByteView(full_card()), {}});
  for (auto _ : state) benchmark::DoNotOptimize(layout("ps2-card-ecc").change(plain->bytes, {}));
  count(state);
}
BENCHMARK(write_all_codes);

// A card of 2,043 blocks with 127 saves, every picture decoded and packed as PNG.
void icon_sheet(benchmark::State& state) {
  std::vector<Save> saves;
  for (unsigned i = 0; i < 127; ++i)
    saves.push_back(
        demo::gc_save("GKFE", "kite" + std::to_string(i), "Kite", "", 16, demo::Art::kite, i));
  const Bytes card = demo::card_with("gc-card", 2043, saves);
  for (auto _ : state) {
    std::size_t pictures = 0;
    const auto read = layout("gc-card").open(card);
    for (const CardSave& on_card : read->saves)
      for (const Picture& picture : face_of(on_card.save).pictures)
        pictures += png_of(picture).has_value() ? 1 : 0;
    benchmark::DoNotOptimize(pictures);
  }
}
BENCHMARK(icon_sheet)->Unit(benchmark::kMillisecond);

}  // namespace

int main(int argc, char** argv) {
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
