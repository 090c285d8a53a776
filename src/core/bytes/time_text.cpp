#include "core/bytes/time_text.h"

#include <fmt/core.h>

namespace bayswap {
namespace {

Time seconds_of(std::int64_t ns) {
  return std::chrono::floor<std::chrono::seconds>(
      std::chrono::sys_time<std::chrono::nanoseconds>(std::chrono::nanoseconds(ns)));
}

}  // namespace

std::string utc_text(Time time) {
  constexpr std::chrono::sys_days kFirst = std::chrono::year{0} / 1 / 1;
  constexpr std::chrono::sys_days kLast = std::chrono::year{10000} / 1 / 1;
  if (time < kFirst || time >= kLast) return "0000-00-00 00:00:00";
  // By parts: fmt counts such times in nanoseconds, which end in 2262.
  const auto day = std::chrono::floor<std::chrono::days>(time);
  const std::chrono::year_month_day date(day);
  const std::chrono::hh_mm_ss clock(time - day);
  return fmt::format("{:04}-{:02}-{:02} {:02}:{:02}:{:02}", static_cast<int>(date.year()),
                     static_cast<unsigned>(date.month()), static_cast<unsigned>(date.day()),
                     clock.hours().count(), clock.minutes().count(), clock.seconds().count());
}

std::string utc_text(std::int64_t ns) {
  return utc_text(seconds_of(ns));
}

std::string file_time(std::int64_t ns) {
  std::string text = utc_text(ns);
  std::erase(text, ':');
  return text;
}

std::string iso_time(Time time) {
  std::string text = utc_text(time) + "Z";
  text[10] = 'T';
  return text;
}

std::string iso_time(std::int64_t ns) {
  return iso_time(seconds_of(ns));
}

}  // namespace bayswap
