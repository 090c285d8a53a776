#include "core/states/state_samples.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <limits>
#include <map>

namespace bayswap {
namespace {

constexpr std::size_t kRun = 8;
constexpr std::size_t kMost = 1024;
constexpr std::size_t kWaiting = 4 * kMost;

// Runs of few different values stand in many places.
bool says_something(ByteView run) {
  std::array<std::byte, kRun> sorted{};
  std::ranges::copy(run, sorted.begin());
  std::ranges::sort(sorted);
  return std::unique(sorted.begin(), sorted.end()) - sorted.begin() >= 4;
}

// The samples with the lowest hashes; of equal ones the first.
void keep_lowest(std::vector<StateSample>& samples) {
  std::ranges::sort(samples, {},
                    [](const StateSample& one) { return std::pair(one.hash, one.at); });
  const auto end = std::unique(
      samples.begin(), samples.end(),
      [](const StateSample& one, const StateSample& other) { return one.hash == other.hash; });
  samples.erase(end, samples.end());
  if (samples.size() > kMost) samples.resize(kMost);
}

}  // namespace

std::vector<StateSample> samples_of(ByteView content) {
  std::vector<StateSample> samples;
  std::uint64_t below = std::numeric_limits<std::uint64_t>::max();
  for (std::size_t at = 0; at + kRun <= content.size(); ++at) {
    std::uint64_t word = 0;
    std::memcpy(&word, content.data() + at, kRun);
    std::uint64_t hash = word * 0x9E3779B97F4A7C15ULL;
    hash = (hash ^ hash >> 32U) * 0xD6E8FEB86659FD93ULL;
    if (hash >= below || !says_something(content.subspan(at, kRun))) continue;
    samples.push_back({hash, at});
    if (samples.size() < kWaiting) continue;
    keep_lowest(samples);
    if (samples.size() == kMost) below = samples.back().hash;
  }
  keep_lowest(samples);
  return samples;
}

SharedSamples shared_samples(const std::vector<StateSample>& a, const std::vector<StateSample>& b) {
  SharedSamples counts;
  std::map<std::uint64_t, std::size_t> moved;  // by so many bytes, modulo 2^64
  auto other = b.begin();
  for (const StateSample& one : a) {
    while (other != b.end() && other->hash < one.hash) ++other;
    if (other == b.end()) break;
    if (other->hash != one.hash) continue;
    ++counts.shared;
    counts.in_place += other->at == one.at ? 1 : 0;
    counts.together = std::max(counts.together, ++moved[other->at - one.at]);
  }
  return counts;
}

}  // namespace bayswap
