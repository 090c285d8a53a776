// Makes a library of battery files in nested folders: make_library FOLDER COUNT.
#include <array>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iostream>
#include <string>

#include "demo/makers.h"

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const std::filesystem::path root = argv[1];
  const unsigned files = static_cast<unsigned>(std::strtoul(argv[2], nullptr, 10));
  constexpr std::array<std::size_t, 8> kSizes{512,    0x800,  0x2000,  0x2000,
                                              0x8000, 0x8000, 0x10000, 0x20000};
  for (unsigned i = 0; i < files; ++i) {
    const std::size_t size = kSizes[i % kSizes.size()];
    const auto folder =
        root / ("shelf " + std::to_string(i % 40)) / ("box " + std::to_string(i / 40 % 10));
    std::filesystem::create_directories(folder);
    const bayswap::Bytes save =
        bayswap::demo::progress("GAME " + std::to_string(i), size, i, std::byte{0xFF});
    std::ofstream file(folder / ("Game " + std::to_string(i) + ".sav"), std::ios::binary);
    file.write(reinterpret_cast<const char*>(save.data()),
               static_cast<std::streamsize>(save.size()));
  }
  return 0;
}
