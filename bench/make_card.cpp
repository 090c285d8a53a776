// Writes a full 8 MiB ps2 card with its error-correcting code, and one save of 100 KiB beside it.
#include <fstream>
#include <random>

#include "demo/card_makers.h"

namespace {

using namespace bayswap;

Save noisy_save(unsigned number, std::size_t size) {
  Save save = demo::ps2_save("BASLUS-" + std::to_string(20000 + number) + "FULL", "Full", "", size,
                             0x406080, number);
  std::mt19937 numbers(number);
  for (std::byte& byte : save.parts.back().data) byte = static_cast<std::byte>(numbers());
  return save;
}

void write(const char* path, const Bytes& bytes) {
  std::ofstream file(path, std::ios::binary);
  file.write(reinterpret_cast<const char*>(bytes.data()),
             static_cast<std::streamsize>(bytes.size()));
}

}  // namespace

int main(int, char** argv) {
  std::vector<Save> saves;
  for (unsigned i = 0; i < 75; ++i) saves.push_back(noisy_save(i, 92'000));
  write(argv[1], demo::card_with("ps2-card-ecc", 8000, saves));
  const Save one = noisy_save(900, 92'400);
  const auto single = (*find_layout("ps2-single"))->write({std::span(&one, 1), std::nullopt, {}});
  if (!single) return 1;
  write(argv[2], single->bytes);
  return 0;
}
