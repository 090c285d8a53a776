#include <malloc.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <cstddef>
#include <cstdlib>
#include <exception>
#include <iostream>
#include <memory>

#include "cli/tool.h"

namespace {

std::size_t terminal_width() {
  winsize size{};
  constexpr std::size_t kUsual = 100;
  if (::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_col < 40) return kUsual;
  return size.ws_col;
}

// A card is read, checked and written several times over: buffers of its size come from large
// pages, and are used again instead of being given back to the system and asked for anew.
void keep_large_buffers() {
  constexpr std::size_t kRoom = std::size_t{64} << 20U;
  constexpr std::size_t kLargePage = std::size_t{2} << 20U;
  ::mallopt(M_MMAP_THRESHOLD, static_cast<int>(kRoom));
  ::mallopt(M_TRIM_THRESHOLD, static_cast<int>(2 * kRoom));
  ::mallopt(M_ARENA_MAX, 1);  // helpers work on the same few large buffers
  void* room = std::malloc(kRoom - kLargePage);
  if (room == nullptr) return;
  void* start = room;
  std::size_t left = kRoom - kLargePage;
  // Small commands get by with small pages: a large one is cleared as a whole. Where the system has
  // no large pages, everything works as before.
  if (std::align(kLargePage, 2 * kLargePage, start, left) != nullptr)
    (void)::madvise(static_cast<std::byte*>(start) + kLargePage, left - kLargePage, MADV_HUGEPAGE);
  std::free(room);
}

}  // namespace

int main(int argc, char** argv) {
  keep_large_buffers();
  try {
    const auto places = bayswap::Places::from_environment();
    if (!places) {
      std::cerr << places.error().text << "\n  → " << places.error().hint << "\n";
      return static_cast<int>(places.error().trouble);
    }
    const char* no_colour = std::getenv("NO_COLOR");
    const bool colour =
        ::isatty(STDOUT_FILENO) == 1 && (no_colour == nullptr || *no_colour == '\0');
    const bayswap::cli::Surroundings surroundings{*places, std::cout, std::cerr, colour,
                                                  terminal_width()};
    const int status = bayswap::cli::run_tool({argv + 1, argv + argc}, surroundings);
    std::cout.flush();
    if (!std::cout) {
      std::cerr << "the output could not be written\n";
      return static_cast<int>(bayswap::Trouble::place);
    }
    return status;
  } catch (const std::exception& problem) {
    std::cerr << "bayswap stopped: " << problem.what() << "\n";
    return static_cast<int>(bayswap::Trouble::place);
  }
}
