// The reader link beside a copy of the same bytes: frames and messages in memory, and a whole dump
// through a simulated reader.
#include <benchmark/benchmark.h>

#include <cstring>

#include "readers/cartridge.h"
#include "support/bytes.h"
#include "support/memory_transport.h"

namespace {

using namespace bayswap;

constexpr std::size_t kChunk = 32'768;  // bytes, the most of one message

Bytes answer() {
  return encoded({{"for", {std::int64_t{7}}},
                  {"data", {test::random_bytes(kChunk, 1)}},
                  {"session", {std::int64_t{5}}}});
}

void count(benchmark::State& state, std::size_t bytes) {
  state.SetBytesProcessed(static_cast<std::int64_t>(state.iterations()) *
                          static_cast<std::int64_t>(bytes));
}

void copy_chunk(benchmark::State& state) {
  const Bytes bytes = answer();
  Bytes copy(bytes.size());
  for (auto _ : state) {
    std::memcpy(copy.data(), bytes.data(), bytes.size());
    benchmark::ClobberMemory();
  }
  count(state, kChunk);
}

void frame_and_back(benchmark::State& state) {
  const Bytes payload = answer();
  for (auto _ : state) {
    FrameReader frames;
    frames.push(framed(payload));
    benchmark::DoNotOptimize(decoded(*frames.next()));
  }
  count(state, kChunk);
}

void dump_in_memory(benchmark::State& state) {
  demo::SimulatedCartridge game;
  game.system = System::gba;
  game.rom = test::random_bytes(4U << 20U, 3);
  demo::ReaderTraits traits;
  traits.chunk = kChunk;
  for (auto _ : state) {
    demo::SimulatedReader reader(game, traits, {});
    auto cartridge = Cartridge::open(Link(std::make_unique<test::MemoryTransport>(reader), 1));
    benchmark::DoNotOptimize(cartridge->dump(*cartridge->area("rom")));
  }
  count(state, 2 * game.rom.size());  // it is read twice
}

BENCHMARK(copy_chunk);
BENCHMARK(frame_and_back);
BENCHMARK(dump_in_memory);

}  // namespace

BENCHMARK_MAIN();
