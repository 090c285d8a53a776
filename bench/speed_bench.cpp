// Inner loops beside what the C library does with the same bytes.
#include <benchmark/benchmark.h>

#include <cstring>
#include <random>

#include "core/bytes/order.h"
#include "core/roms/gba_marker.h"

namespace {

bayswap::Bytes noise(std::size_t size) {
  std::mt19937_64 numbers(1);
  bayswap::Bytes bytes(size);
  for (std::size_t i = 0; i + 8 <= size; i += 8) {
    const std::uint64_t number = numbers();
    std::memcpy(bytes.data() + i, &number, sizeof number);
  }
  return bytes;
}

constexpr std::size_t kRom = 32U << 20U;
constexpr std::size_t kSave = 8U << 20U;

void count(benchmark::State& state, std::size_t bytes) {
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) *
                          static_cast<std::int64_t>(bytes));
}

void marker_scan(benchmark::State& state) {
  const bayswap::Bytes rom = noise(kRom);
  for (auto _ : state) benchmark::DoNotOptimize(bayswap::find_gba_chip(rom));
  count(state, kRom);
}
BENCHMARK(marker_scan);

void memchr_scan(benchmark::State& state) {
  bayswap::Bytes rom = noise(kRom);
  // The byte must not occur, so that memchr goes to the end.
  for (std::byte& byte : rom)
    if (byte == std::byte{0xA5}) byte = std::byte{0};
  for (auto _ : state) benchmark::DoNotOptimize(std::memchr(rom.data(), 0xA5, rom.size()));
  count(state, kRom);
}
BENCHMARK(memchr_scan);

// A swap works in place; memcpy reads one buffer and writes another of the same size.
void swap_units(benchmark::State& state) {
  bayswap::Bytes save = noise(kSave);
  for (auto _ : state) {
    bayswap::reverse_units(save, static_cast<std::size_t>(state.range(0)));
    benchmark::ClobberMemory();
  }
  count(state, kSave);
}
BENCHMARK(swap_units)->Arg(2)->Arg(4)->Arg(8);

void memcpy_same(benchmark::State& state) {
  const bayswap::Bytes save = noise(kSave);
  bayswap::Bytes copy(kSave);
  for (auto _ : state) {
    std::memcpy(copy.data(), save.data(), kSave);
    benchmark::ClobberMemory();
  }
  count(state, kSave);
}
BENCHMARK(memcpy_same);

}  // namespace
