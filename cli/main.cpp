#include <sys/ioctl.h>
#include <unistd.h>

#include <cstddef>
#include <cstdlib>
#include <exception>
#include <iostream>
#include <optional>

#include "cli/tool.h"

namespace {

std::size_t terminal_width() {
  winsize size{};
  constexpr std::size_t kUsual = 100;
  if (::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_col < 40) return kUsual;
  return size.ws_col;
}

}  // namespace

int main(int argc, char** argv) {
  try {
    const auto places = bayswap::Places::from_environment();
    const char* no_colour = std::getenv("NO_COLOR");
    const bool colour =
        ::isatty(STDOUT_FILENO) == 1 && (no_colour == nullptr || *no_colour == '\0');
    const bayswap::cli::Surroundings surroundings{
        places ? *places : bayswap::Places{},
        std::cout,
        std::cerr,
        colour,
        terminal_width(),
        ::isatty(STDOUT_FILENO) == 1,
        places ? std::nullopt : std::optional(places.error())};
    const int status = bayswap::cli::run_tool({argv + 1, argv + argc}, surroundings);
    std::cout.flush();
    if (!std::cout) {
      std::cerr << "the output could not be written\n";
      return bayswap::cli::exit_status(bayswap::Trouble::place);
    }
    return status;
  } catch (const std::exception& problem) {
    std::cerr << "bayswap stopped: " << problem.what() << "\n";
    return bayswap::cli::exit_status(bayswap::Trouble::place);
  }
}
