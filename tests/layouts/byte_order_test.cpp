// Byte order worked out from content: right or silent, never wrong.
#include "layouts/battery/byte_order_evidence.h"

#include <gtest/gtest.h>

#include <array>
#include <random>

#include "bytes/order.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

constexpr std::array<std::size_t, 3> kWordUnits{1, 2, 4};
constexpr std::array<std::size_t, 2> kEepromUnits{1, 8};

const std::vector<std::string> kTexts{
    "the lantern quay and the winter station",   "Northern Harbour",
    "which of the three gates should we choose", "player one has reached the orchard",
    "options sound music vibration change name", "Press start to continue the voyage"};

// A save with some texts among numbers, as games write them.
Bytes save_with_text(std::mt19937& numbers, std::size_t texts) {
  Bytes save(0x2000 * (1 + numbers() % 4));
  for (std::size_t i = 0; i < save.size(); i += 4 + numbers() % 60)
    save[i] = static_cast<std::byte>(numbers() % 256);
  for (std::size_t i = 0; i < texts; ++i)
    test::put(save, numbers() % (save.size() - 80), kTexts[numbers() % kTexts.size()]);
  return save;
}

template <class Units>
void check(const Units& units, std::size_t texts, std::size_t& found, std::size_t& silent,
           std::mt19937& numbers) {
  const std::size_t unit = units[numbers() % units.size()];
  Bytes stored = save_with_text(numbers, texts);
  reverse_units(stored, unit);
  const auto judged = judge_byte_order(stored, {}, units);
  if (!judged) {
    ++silent;
    return;
  }
  EXPECT_EQ(*judged, unit) << texts << " texts";
  ++found;
}

TEST(ByteOrder, IsRightOrSilent) {
  std::mt19937 numbers(13);
  std::size_t found = 0;
  std::size_t silent = 0;
  for (int round = 0; round < 600; ++round) {
    check(kWordUnits, 1 + numbers() % 8, found, silent, numbers);
    check(kEepromUnits, 1 + numbers() % 8, found, silent, numbers);
  }
  EXPECT_GT(found, 600U) << "of 1,200; silent: " << silent;
}

TEST(ByteOrder, SaysNothingOfNoise) {
  std::size_t claims = 0;
  for (std::uint32_t seed = 0; seed < 300; ++seed)
    if (judge_byte_order(test::random_bytes(0x8000, seed), {}, kWordUnits)) ++claims;
  EXPECT_EQ(claims, 0U);
  EXPECT_FALSE(judge_byte_order(test::filled(0x8000, 0), {}, kWordUnits));
  EXPECT_FALSE(judge_byte_order({}, {}, kWordUnits));
}

TEST(ByteOrder, WordsOfTheRomSettleIt) {
  for (const std::size_t unit : kWordUnits) {
    Bytes stored = test::random_bytes(0x8000, 5);
    test::put(stored, 0x402, std::string_view("GLACIER POST"));
    reverse_units(stored, unit);
    EXPECT_EQ(judge_byte_order(stored, {"GLACIER POST"}, kWordUnits), unit);
    EXPECT_FALSE(judge_byte_order(stored, {"ANOTHER GAME"}, kWordUnits));
    EXPECT_FALSE(judge_byte_order(stored, {"GL"}, kWordUnits)) << "short words occur by chance";
  }
}

}  // namespace
}  // namespace bayswap
