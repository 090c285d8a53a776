#include "cli/interrupt.h"

#include <csignal>

namespace bayswap::cli {
namespace {

volatile std::sig_atomic_t wants_end = 0;

void note_wish(int) {
  wants_end = 1;
}

}  // namespace

InterruptWatch::InterruptWatch() {
  wants_end = 0;
  std::signal(SIGINT, note_wish);
  std::signal(SIGTERM, note_wish);
}

InterruptWatch::~InterruptWatch() {
  std::signal(SIGINT, SIG_DFL);
  std::signal(SIGTERM, SIG_DFL);
  wants_end = 0;
}

bool interrupted() {
  return wants_end != 0;
}

}  // namespace bayswap::cli
