// Where a game's chip is known, no file of another size or chip is more than a possibility.
#include <gtest/gtest.h>

#include "bayswap/layout.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

struct KnownChip {
  System system;
  const char* part;
  std::uint64_t size;
};

class HintedSizes : public testing::TestWithParam<KnownChip> {};

TEST_P(HintedSizes, CountForEveryLayoutOfThePart) {
  const KnownChip& chip = GetParam();
  Hints hints;
  hints.system = chip.system;
  hints.chips = std::vector<Chip>{{chip.part, chip.size}};
  hints.chips_from_header = true;
  for (const std::uint64_t size : {256U, 512U, 2048U, 8192U, 16'384U, 32'768U, 65'536U, 98'304U,
                                   131'072U, 262'144U, 524'288U}) {
    // Full of progress; with nothing behind the chip's size; the chip again and again.
    for (const int behind : {0, 1, 2}) {
      if (behind != 0 && size <= chip.size) continue;
      Bytes file = test::random_bytes(size, 7);
      for (std::size_t i = chip.size; behind != 0 && i < size; ++i)
        file[i] = behind == 1 ? std::byte{0xFF} : file[i % chip.size];
      SCOPED_TRACE(std::to_string(size) + ", behind " + std::to_string(behind));
      const auto guesses = identify(file, hints);
      const bool its_own = size == chip.size;
      ASSERT_TRUE(!its_own || !guesses.empty());
      for (const Guess& guess : guesses) {
        if (guess.confidence == Confidence::possible && !(its_own && &guess == &guesses.front()))
          continue;
        const auto content = guess.layout->read(file, hints);
        ASSERT_TRUE(content && !content->saves.empty()) << guess.layout->info().id;
        const Part* part = content->saves.front().part(chip.part);
        ASSERT_NE(part, nullptr) << guess.layout->info().id << ": " << guess.reason;
        EXPECT_EQ(part->data.size(), chip.size) << guess.layout->info().id << ": " << guess.reason;
      }
    }
  }
}

INSTANTIATE_TEST_SUITE_P(
    All, HintedSizes,
    testing::Values(KnownChip{System::gba, "sram", 0x8000},
                    KnownChip{System::gba, "flash", 0x10000},
                    KnownChip{System::gba, "flash", 0x20000}, KnownChip{System::gba, "eeprom", 512},
                    KnownChip{System::gba, "eeprom", 0x2000}, KnownChip{System::n64, "eeprom", 512},
                    KnownChip{System::n64, "eeprom", 0x800}, KnownChip{System::n64, "sram", 0x8000},
                    KnownChip{System::n64, "sram", 0x18000},
                    KnownChip{System::n64, "flash", 0x20000},
                    KnownChip{System::snes, "sram", 0x800}, KnownChip{System::snes, "sram", 0x2000},
                    KnownChip{System::gb, "sram", 0x200}, KnownChip{System::gb, "sram", 0x2000},
                    KnownChip{System::gb, "sram", 0x10000}, KnownChip{System::nes, "sram", 0x2000},
                    KnownChip{System::md, "sram", 0x2000}, KnownChip{System::md, "sram", 0x10000},
                    KnownChip{System::sms, "sram", 0x2000}, KnownChip{System::sms, "sram", 0x8000}),
    [](const auto& known) {
      return std::string(to_string(known.param.system)) + "_" + known.param.part + "_" +
             std::to_string(known.param.size);
    });

}  // namespace
}  // namespace bayswap
