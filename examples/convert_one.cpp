// Converts a save: read with one layout, write with another. Losses are told, never silent.
#include <bayswap/layout.h>

#include <fstream>
#include <iostream>
#include <iterator>

int main(int argc, char** argv) {
  if (argc != 5) {
    std::cerr << "usage: convert_one IN LAYOUT OUT LAYOUT\n";
    return 2;
  }
  const auto from = bayswap::find_layout(argv[2]);
  const auto to = bayswap::find_layout(argv[4]);
  if (!from || !to) {
    std::cerr << (from ? to.error() : from.error()).text << "\n";
    return 2;
  }
  std::ifstream file(argv[1], std::ios::binary);
  const std::vector<char> chars((std::istreambuf_iterator<char>(file)), {});
  const auto content = (*from)->read(std::as_bytes(std::span(chars)), bayswap::Hints{});
  if (!content) {
    std::cerr << content.error().text << "\n";
    return 3;
  }
  const auto written = (*to)->write({content->saves, std::nullopt, bayswap::Hints{}});
  if (!written) {
    std::cerr << written.error().text << "\n";
    return 1;
  }
  for (const bayswap::Finding& loss : written->losses) std::cerr << "lost: " << loss.text << "\n";
  if (!written->losses.empty()) return 1;
  std::ofstream out(argv[3], std::ios::binary);
  out.write(reinterpret_cast<const char*>(written->bytes.data()),
            static_cast<std::streamsize>(written->bytes.size()));
  return out ? 0 : 4;
}
