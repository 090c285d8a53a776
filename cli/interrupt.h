// CTRL-C, as a wish that operations hear of: they stop where nothing is half-done.
#pragma once

namespace bayswap::cli {

/// While one exists, CTRL-C and SIGTERM do not end the program at once. One at a time.
class InterruptWatch {
 public:
  InterruptWatch();
  ~InterruptWatch();
  InterruptWatch(const InterruptWatch&) = delete;
  InterruptWatch& operator=(const InterruptWatch&) = delete;
};

/// Whether somebody wants the end.
[[nodiscard]] bool interrupted();

}  // namespace bayswap::cli
