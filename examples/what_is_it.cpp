// Tells what a file is: bytes in, layouts out, without any file access by the library.
#include <bayswap/layout.h>
#include <bayswap/rom.h>

#include <fstream>
#include <iostream>
#include <iterator>

int main(int argc, char** argv) {
  if (argc != 2) {
    std::cerr << "usage: what_is_it FILE\n";
    return 2;
  }
  std::ifstream file(argv[1], std::ios::binary);
  const std::vector<char> chars((std::istreambuf_iterator<char>(file)), {});
  const bayswap::ByteView bytes = std::as_bytes(std::span(chars));

  if (const auto rom = bayswap::read_rom(bytes)) {
    std::cout << "a " << to_string(rom->system) << " ROM: " << rom->game.title << "\n";
    return 0;
  }
  const auto guesses = bayswap::identify(bytes, bayswap::Hints{});
  for (const bayswap::Guess& guess : guesses)
    std::cout << guess.layout->info().id << ": " << to_string(guess.confidence) << ", "
              << guess.reason << "\n";
  if (guesses.empty()) std::cout << "nothing that is known\n";
  return 0;
}
