#include "bytes/time_text.h"

#include <fmt/format.h>

#include <chrono>

namespace bayswap {

std::string utc_text(std::int64_t ns) {
  const std::chrono::sys_time<std::chrono::nanoseconds> time{std::chrono::nanoseconds{ns}};
  const auto midnight = std::chrono::floor<std::chrono::days>(time);
  const std::chrono::year_month_day date{midnight};
  const std::chrono::hh_mm_ss clock{std::chrono::floor<std::chrono::seconds>(time) - midnight};
  return fmt::format("{:04}-{:02}-{:02} {:02}:{:02}:{:02}", static_cast<int>(date.year()),
                     static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()),
                     clock.hours().count(), clock.minutes().count(), clock.seconds().count());
}

}  // namespace bayswap
