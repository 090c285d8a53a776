#include "core/layouts/cartridge/health.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kLongestPeriod = 64;
constexpr std::size_t kLeastHole = 256;   // bytes; shorter gaps are ordinary
constexpr std::size_t kNeighbours = 256;  // bytes on each side that must be dense

struct Hole {
  std::size_t start = 0;
  std::size_t size = 0;
};

bool dense(ByteView data, std::byte erased) {
  const auto used =
      std::count_if(data.begin(), data.end(), [&](std::byte b) { return b != erased; });
  return static_cast<std::size_t>(used) * 10 >= data.size() * 9;
}

std::optional<Hole> find_hole(ByteView data, std::byte erased) {
  // A hole of 256 bytes covers one whole block of 128, so only blocks need a look.
  constexpr std::size_t kBlock = 128;
  for (std::size_t block = 0; block + kBlock <= data.size(); block += kBlock) {
    if (data[block] != erased || !is_filled(data.subspan(block, kBlock), erased)) continue;
    std::size_t start = block;
    while (start > 0 && data[start - 1] == erased) --start;
    std::size_t end = block + kBlock;
    while (end + kBlock <= data.size() && is_filled(data.subspan(end, kBlock), erased))
      end += kBlock;
    while (end < data.size() && data[end] == erased) ++end;
    const bool between = start >= kNeighbours && data.size() - end >= kNeighbours;
    if (between && end - start >= kLeastHole &&
        dense(data.subspan(start - kNeighbours, kNeighbours), erased) &&
        dense(data.subspan(end, kNeighbours), erased))
      return Hole{start, end - start};
    block = end - end % kBlock;
  }
  return std::nullopt;
}

}  // namespace

bool has_short_period(ByteView data) {
  for (std::size_t period = 1; period <= kLongestPeriod && data.size() >= 8 * period; period *= 2)
    if (repeats(data, period)) return true;
  return false;
}

std::optional<Finding> judge_half_written(const Part& part) {
  if (part.blank || part.name == "clock" || part.name.starts_with("pak")) return std::nullopt;
  for (const std::byte erased : {kErasedOnes, kErasedZero}) {
    const auto hole = find_hole(part.data, erased);
    if (!hole) continue;
    return Finding{
        Level::warn,
        Code::half_written,
        fmt::format("{}: {} erased bytes at 0x{:X} stand between full ones: a write or a "
                    "dump may have been cut",
                    part.name, grouped(hole->size), hole->start),
        {"dump it again and compare both with '", Remedy::compare, "'"}};
  }
  return std::nullopt;
}

}  // namespace bayswap
