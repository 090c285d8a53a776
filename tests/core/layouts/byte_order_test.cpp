// Byte order worked out from content: right or silent, never wrong.
#include "core/layouts/cartridge/byte_order_evidence.h"

#include <gtest/gtest.h>

#include <array>
#include <random>
#include <span>

#include "core/bytes/order.h"
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

// One sentence, wherever it stands: at the very ends, over the edges of blocks, in small chips.
TEST(ByteOrder, FindsTextAtEveryPlace) {
  const std::string text = "the lantern quay and the winter station stand where the river bends";
  std::mt19937 numbers(29);
  for (const std::size_t size : {512U, 2048U, 8192U, 0x8000U}) {
    const auto units = size <= 2048 ? std::span<const std::size_t>(kEepromUnits)
                                    : std::span<const std::size_t>(kWordUnits);
    std::size_t silent = 0;
    for (int round = 0; round < 200; ++round) {
      // Blocks are 4,096 bytes, and looked at in steps of 64.
      const std::size_t last = size - text.size();
      const std::size_t places[] = {
          0, last, std::min<std::size_t>(4096 - 30, last),
          std::min<std::size_t>(64 * (numbers() % 64) + numbers() % 9, last), numbers() % last};
      const std::size_t unit = units[numbers() % units.size()];
      Bytes stored = test::random_bytes(size, static_cast<std::uint32_t>(numbers()));
      for (std::byte& byte : stored) byte |= std::byte{0x80};  // no letters by chance
      test::put(stored, places[static_cast<std::size_t>(round) % 5], text);
      reverse_units(stored, unit);
      const auto judged = judge_byte_order(stored, {}, units);
      if (judged) {
        ASSERT_EQ(*judged, unit) << size << ", round " << round;
      }
      if (!judged) ++silent;
    }
    // Over the edge of a block, each half speaks for itself, and may say too little.
    EXPECT_LE(silent, 45U) << size;
  }
}

TEST(ByteOrder, LettersThatAreNoTextSayHardlyEverAnything) {
  std::mt19937 numbers(30);
  std::size_t claims = 0;
  for (int round = 0; round < 200; ++round) {
    Bytes stored(0x2000);
    for (std::byte& byte : stored) byte = static_cast<std::byte>('A' + numbers() % 26);
    if (judge_byte_order(stored, {}, kWordUnits)) ++claims;
  }
  EXPECT_LE(claims, 4U) << "of 200: pairs of letters agree by chance, now and then";
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
