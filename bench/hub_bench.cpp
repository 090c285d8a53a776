// Ten thousand saves put on a hub that is a folder, beside `cp -r` of the same files.
#include <benchmark/benchmark.h>

#include <cstdlib>
#include <filesystem>

#include "hub/folder_store.h"
#include "hub/hub.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace {

using namespace bayswap;

constexpr int kSaves = 10'000;

// Once for both.
const test::TempFolder& saves() {
  static const test::TempFolder kFolder;
  if (!std::filesystem::exists(kFolder / "saves"))
    for (int i = 0; i < kSaves; ++i) {
      Bytes save = test::random_bytes(0x2000, static_cast<std::uint32_t>(i));
      std::fill(save.begin() + 6000, save.end(), std::byte{0xFF});
      kFolder.write("saves/" + std::to_string(i) + ".sav", save);
    }
  return kFolder;
}

void put_on_a_hub(benchmark::State& state) {
  int round = 0;
  for (auto _ : state) {
    const Path place = saves() / ("hub" + std::to_string(++round));
    std::filesystem::create_directory(place);
    auto hub = Hub::join(open_folder_store(disk(), place));
    if (!hub) return state.SkipWithError("no hub");
    for (int i = 0; i < kSaves; ++i) {
      const auto bytes = disk().read(saves() / ("saves/" + std::to_string(i) + ".sav"), 1U << 20U);
      if (!bytes || !hub->put_object(sha256(*bytes), *bytes)) return state.SkipWithError("not put");
    }
  }
}
BENCHMARK(put_on_a_hub)->Iterations(5)->Unit(benchmark::kMillisecond)->UseRealTime();

void copy_them(benchmark::State& state) {
  int round = 0;
  for (auto _ : state) {
    const std::string to = (saves() / ("copy" + std::to_string(++round))).string();
    const std::string line = "cp -r '" + (saves() / "saves").string() + "' '" + to + "'";
    if (std::system(line.c_str()) != 0) return state.SkipWithError("not copied");
  }
}
BENCHMARK(copy_them)->Iterations(5)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace

BENCHMARK_MAIN();
