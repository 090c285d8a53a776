#include "layouts/battery/byte_order_evidence.h"

#include <algorithm>
#include <array>
#include <string_view>
#include <utility>

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

int letter(std::byte byte) {
  const int c = std::to_integer<int>(byte) | 0x20;
  return c >= 'a' && c <= 'z' ? c - 'a' : -1;
}

// Counts common pairs inside runs of at least six letters; shorter runs occur in random bytes.
std::size_t readable_pairs(ByteView data) {
  static const std::array<bool, 26 * 26> kTable = common_pairs();
  constexpr std::size_t kLeastRun = 6;
  std::size_t score = 0;
  for (std::size_t i = 0; i < data.size();) {
    std::size_t end = i;
    while (end < data.size() && letter(data[end]) >= 0) ++end;
    if (end - i >= kLeastRun)
      for (std::size_t k = i; k + 1 < end; ++k)
        if (kTable[static_cast<std::size_t>(letter(data[k]) * 26 + letter(data[k + 1]))]) ++score;
    i = end + 1;
  }
  return score;
}

}  // namespace

ByteOrder judge_byte_order(ByteView stored, const std::vector<std::string>& words) {
  if (is_erased(stored)) return ByteOrder::unknown;
  constexpr std::array<std::pair<ByteOrder, std::size_t>, 3> kOrders{
      {{ByteOrder::native, 1}, {ByteOrder::swap16, 2}, {ByteOrder::swap32, 4}}};
  std::array<std::size_t, 3> found_words{};
  std::array<std::size_t, 3> pairs{};
  for (std::size_t i = 0; i < kOrders.size(); ++i) {
    Bytes data(stored.begin(), stored.end());
    reverse_units(data, kOrders[i].second);
    for (const std::string& word : words)
      if (word.size() >= kLeastWord && contains(data, word)) ++found_words[i];
    pairs[i] = readable_pairs(data);
  }
  const auto winner = [&](const std::array<std::size_t, 3>& votes, auto enough) {
    const auto best = std::max_element(votes.begin(), votes.end());
    for (auto other = votes.begin(); other != votes.end(); ++other)
      if (other != best && !enough(*best, *other)) return ByteOrder::unknown;
    return kOrders[static_cast<std::size_t>(best - votes.begin())].first;
  };
  const ByteOrder by_words =
      winner(found_words, [](auto best, auto other) { return best > other; });
  if (by_words != ByteOrder::unknown) return by_words;
  constexpr std::size_t kLeastPairs = 8;
  return winner(pairs,
                [](auto best, auto other) { return best >= kLeastPairs && best >= 2 * other; });
}

}  // namespace bayswap
