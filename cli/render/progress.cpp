#include "cli/render/progress.h"

#include <unistd.h>

#include <iostream>
#include <utility>

#include "bytes/text.h"

namespace bayswap::cli {

Progress::Progress(std::string what)
    : what_(std::move(what)),
      wanted_(::isatty(STDERR_FILENO) == 1 && ::isatty(STDOUT_FILENO) == 0),
      next_(Clock::now() + std::chrono::seconds(1)) {}

Progress::~Progress() {
  if (shown_) std::cerr << "\r\x1b[K" << std::flush;
}

void Progress::step() {
  ++done_;
  if (!wanted_ || Clock::now() < next_) return;
  next_ = Clock::now() + std::chrono::milliseconds(100);
  shown_ = true;
  std::cerr << "\r\x1b[K" << what_ << " " << grouped(done_) << std::flush;
}

}  // namespace bayswap::cli
