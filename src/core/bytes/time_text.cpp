#include "core/bytes/time_text.h"

#include <fmt/chrono.h>

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
  return fmt::format("{:%Y-%m-%d %H:%M:%S}", time);
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
