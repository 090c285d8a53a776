#include "core/layouts/cartridge/byte_order_evidence.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <functional>
#include <string_view>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/order.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kLeastWord = 4;
constexpr int kLeastPairs = 6;

std::string_view as_text(ByteView bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

bool contains(ByteView data, std::string_view word) {
  return as_text(data).find(word) != std::string_view::npos;
}

// Pairs of letters that are common in this order and rare in the other, in languages written in
// Latin letters. They speak for an order, and turned round against it.
constexpr std::string_view kDirectedPairs =
    "th he ha nd ng nt ou io st ve ch co ce sh wh qu ck ly ry ty ay oy tr pr br fr gr cr dr pl bl "
    "cl "
    "fl gl sp sk mp ld lt ll wo wa we rd mo po fo ho ca fi vi qu ju gu by my pe be ";

std::array<int, 27 * 27> directed_pairs() {
  std::array<int, 27 * 27> table{};
  for (std::size_t i = 0; i + 1 < kDirectedPairs.size(); i += 3) {
    const auto first = static_cast<std::size_t>(kDirectedPairs[i] - 'a');
    const auto second = static_cast<std::size_t>(kDirectedPairs[i + 1] - 'a');
    if (first == second) continue;
    table[first * 27 + second] = 1;
    table[second * 27 + first] = -1;
  }
  return table;
}

constexpr std::uint8_t kBlank = 26;
constexpr std::uint8_t kNoText = 255;

// 0 to 25 for letters of either case, 26 for a blank, 255 for everything else.
constexpr std::array<std::uint8_t, 256> kLetters = [] {
  std::array<std::uint8_t, 256> table{};
  table.fill(kNoText);
  for (std::uint8_t i = 0; i < 26; ++i) table['a' + i] = table['A' + i] = i;
  table[' '] = kBlank;
  return table;
}();

struct Reading {
  int score = 0;  // pairs that speak for the order, less those that speak against it
  int pairs = 0;  // all of them
};

// Looks at runs of at least eight letters and blanks; shorter runs occur in random bytes.
void read_pairs(ByteView data, Reading& reading) {
  static const std::array<int, 27 * 27> kPairs = directed_pairs();
  constexpr std::size_t kLeastRun = 8;
  const auto letter = [&](std::size_t at) { return kLetters[to_u8(data[at])]; };
  // A run of eight covers every eighth byte, so only those need a look.
  for (std::size_t probe = kLeastRun - 1; probe < data.size();) {
    if (letter(probe) == kNoText) {
      probe += kLeastRun;
      continue;
    }
    std::size_t start = probe;
    while (start > 0 && letter(start - 1) != kNoText) --start;
    std::size_t end = probe;
    while (end < data.size() && letter(end) != kNoText) ++end;
    if (end - start >= kLeastRun)
      for (std::size_t k = start; k + 1 < end; ++k) {
        const int pair = kPairs[std::size_t{letter(k)} * 27 + letter(k + 1)];
        reading.score += pair;
        reading.pairs += pair * pair;
      }
    probe = end + kLeastRun;
  }
}

constexpr std::size_t kBlock = 4096;  // a multiple of every unit

// Sixteen bytes at a time, in whatever registers the processor has for them.
using Wide = std::uint8_t __attribute__((vector_size(16)));
using WideFours = std::int32_t __attribute__((vector_size(16)));
using WideHalves = std::int64_t __attribute__((vector_size(16)));
constexpr std::size_t kStep = 4 * sizeof(Wide);

// Each four aligned bytes: all bits when they are letters and blanks only, else not.
WideFours fours_of_letters(const std::byte* at) {
  Wide bytes;
  std::memcpy(&bytes, at, sizeof bytes);
  const Wide from_a = (bytes | 0x20) - 'a';
  const auto letters = (from_a < 26) | (bytes == ' ');
  return reinterpret_cast<WideFours>(letters) == -1;
}

// Whether a step has four such bytes. Most blocks hold no text at all.
bool has_letters(const std::byte* step) {
  WideFours found = fours_of_letters(step);
  for (std::size_t at = sizeof(Wide); at < kStep; at += sizeof(Wide))
    found |= fours_of_letters(step + at);
  const auto halves = reinterpret_cast<WideHalves>(found);
  return (halves[0] | halves[1]) != 0;
}

// Where runs of eight letters and blanks can be, in whatever order: each covers four aligned bytes
// that are all letters as they are stored. Stretches begin and end at multiples of eight, with
// eight bytes to spare.
std::vector<std::pair<std::size_t, std::size_t>> stretches_of_letters(ByteView block) {
  constexpr std::size_t kUnit = 8;
  std::array<std::byte, kStep> rest;
  std::vector<std::pair<std::size_t, std::size_t>> stretches;
  for (std::size_t step = 0; step < block.size(); step += kStep) {
    const ByteView here = block.subspan(step, std::min(kStep, block.size() - step));
    const std::byte* bytes = here.data();
    if (here.size() < kStep) {
      rest.fill(std::byte{0});
      std::ranges::copy(here, rest.begin());
      bytes = rest.data();
    }
    if (!has_letters(bytes)) continue;
    for (std::size_t i = 0; i + kUnit <= here.size(); i += kUnit) {
      const auto letter = [](std::byte byte) { return kLetters[to_u8(byte)] != kNoText; };
      if (!std::all_of(bytes + i, bytes + i + 4, letter) &&
          !std::all_of(bytes + i + 4, bytes + i + 8, letter))
        continue;
      const std::size_t at = step + i;
      const std::size_t from = at < 2 * kUnit ? 0 : at - kUnit;
      const std::size_t to = std::min(block.size(), at + 2 * kUnit);
      if (!stretches.empty() && from <= stretches.back().second)
        stretches.back().second = to;
      else
        stretches.emplace_back(from, to);
    }
  }
  return stretches;
}

// The one that stands out from all others.
template <class Vote, class Enough>
std::optional<std::size_t> winner(std::span<const std::size_t> units,
                                  const std::vector<Vote>& votes, Enough enough) {
  for (std::size_t best = 0; best < votes.size(); ++best) {
    bool stands_out = true;
    for (std::size_t other = 0; other < votes.size(); ++other)
      stands_out = stands_out && (other == best || enough(votes[best], votes[other]));
    if (stands_out) return units[best];
  }
  return std::nullopt;
}

using Votes = std::vector<std::size_t>;

Votes count_words(ByteView stored, const std::vector<std::string>& words,
                  std::span<const std::size_t> units) {
  Votes votes;
  for (const std::size_t unit : units) {
    Bytes data(stored.begin(), stored.end());
    reverse_units(data, unit);
    votes.push_back(static_cast<std::size_t>(
        std::count_if(words.begin(), words.end(), [&](const std::string& word) {
          return word.size() >= kLeastWord && contains(data, word);
        })));
  }
  return votes;
}

}  // namespace

std::optional<std::size_t> judge_byte_order(ByteView stored, const std::vector<std::string>& words,
                                            std::span<const std::size_t> units) {
  if (is_erased(stored)) return std::nullopt;
  if (!words.empty())
    if (const auto by_words =
            winner(units, count_words(stored, words, units), std::greater<std::size_t>()))
      return by_words;
  constexpr int kPlenty = 32;                    // pairs that settle it before the end
  constexpr std::size_t kMostRead = 8 * kBlock;  // text that comes later is rare
  // Clear is: enough pairs, twice those of any other order, and more than chance would give.
  const auto clear = [](const Reading& best, const Reading& other) {
    return best.score >= kLeastPairs && best.score >= 2 * other.score &&
           best.score * best.score >= 6 * best.pairs;
  };
  std::vector<Reading> readings(units.size());
  std::array<std::byte, kBlock> buffer;
  for (std::size_t at = 0, read = 0; at < stored.size() && read < kMostRead; at += kBlock) {
    const ByteView block = stored.subspan(at, std::min(kBlock, stored.size() - at));
    if (is_erased(block)) continue;
    read += kBlock;
    const std::span<std::byte> data = std::span(buffer).first(block.size());
    int most = 0;
    for (const auto& [from, to] : stretches_of_letters(block)) {
      const std::span<std::byte> stretch = data.first(to - from);
      for (std::size_t i = 0; i < units.size(); ++i) {
        const ByteView stored_stretch = block.subspan(from, to - from);
        std::copy(stored_stretch.begin(), stored_stretch.end(), stretch.begin());
        reverse_units(stretch, units[i]);
        read_pairs(stretch, readings[i]);
        most = std::max(most, readings[i].score);
      }
    }
    if (most >= kPlenty)
      if (const auto early = winner(units, readings, clear)) return early;
  }
  return winner(units, readings, clear);
}

}  // namespace bayswap
