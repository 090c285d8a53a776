#include "layouts/battery/byte_order_evidence.h"

#include <algorithm>
#include <array>
#include <functional>
#include <string_view>

#include "bytes/cursor.h"
#include "bytes/fill.h"
#include "bytes/order.h"
#include "bytes/text.h"

namespace bayswap {
namespace {

constexpr std::size_t kLeastWord = 4;

std::string_view as_text(ByteView bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

bool contains(ByteView data, std::string_view word) {
  return as_text(data).find(word) != std::string_view::npos;
}

// Pairs of letters that begin or fill most words of languages written in Latin letters; reversed
// words hold far fewer of them.
constexpr std::string_view kCommonPairs =
    "th he in er an re on at en nd ti es or te of ed is it al ar st to nt ng se ha as ou io le ve "
    "co me de hi ri ro ic ne ea ra ce li ch ll be ma si om ur ";

std::array<bool, 26 * 26> common_pairs() {
  std::array<bool, 26 * 26> table{};
  for (std::size_t i = 0; i + 1 < kCommonPairs.size(); i += 3)
    table[static_cast<std::size_t>(kCommonPairs[i] - 'a') * 26 +
          static_cast<std::size_t>(kCommonPairs[i + 1] - 'a')] = true;
  return table;
}

// 0 to 25 for letters of either case, 255 for everything else.
std::array<std::uint8_t, 256> letter_table() {
  std::array<std::uint8_t, 256> table{};
  table.fill(255);
  for (std::uint8_t i = 0; i < 26; ++i) table['a' + i] = table['A' + i] = i;
  return table;
}

// Counts common pairs inside runs of at least six letters; shorter runs occur in random bytes.
std::size_t readable_pairs(ByteView data) {
  static const std::array<bool, 26 * 26> kPairs = common_pairs();
  static const std::array<std::uint8_t, 256> kLetters = letter_table();
  constexpr std::size_t kLeastRun = 6;
  const auto letter = [&](std::size_t at) { return kLetters[to_u8(data[at])]; };
  std::size_t score = 0;
  // A run of six covers every sixth byte, so only those need a look.
  for (std::size_t probe = kLeastRun - 1; probe < data.size();) {
    if (letter(probe) == 255) {
      probe += kLeastRun;
      continue;
    }
    std::size_t start = probe;
    while (start > 0 && letter(start - 1) != 255) --start;
    std::size_t end = probe;
    while (end < data.size() && letter(end) != 255) ++end;
    if (end - start >= kLeastRun)
      for (std::size_t k = start; k + 1 < end; ++k)
        if (kPairs[std::size_t{letter(k)} * 26 + letter(k + 1)]) ++score;
    probe = end + kLeastRun;
  }
  return score;
}

}  // namespace

std::optional<std::size_t> judge_byte_order(ByteView stored, const std::vector<std::string>& words,
                                            std::span<const std::size_t> units) {
  if (is_erased(stored)) return std::nullopt;
  std::vector<std::size_t> found_words;
  std::vector<std::size_t> pairs;
  for (const std::size_t unit : units) {
    Bytes data(stored.begin(), stored.end());
    reverse_units(data, unit);
    found_words.push_back(static_cast<std::size_t>(
        std::count_if(words.begin(), words.end(), [&](const std::string& word) {
          return word.size() >= kLeastWord && contains(data, word);
        })));
    pairs.push_back(readable_pairs(data));
  }
  const auto winner = [&](const std::vector<std::size_t>& votes, auto enough) {
    const auto best = std::max_element(votes.begin(), votes.end());
    for (auto other = votes.begin(); other != votes.end(); ++other)
      if (other != best && !enough(*best, *other)) return std::optional<std::size_t>{};
    return std::optional(units[static_cast<std::size_t>(best - votes.begin())]);
  };
  if (const auto by_words = winner(found_words, std::greater<>())) return by_words;
  constexpr std::size_t kLeastPairs = 8;
  return winner(pairs,
                [](auto best, auto other) { return best >= kLeastPairs && best >= 2 * other; });
}

}  // namespace bayswap
