// Saves dug out of states of the stand-ins: with an older save, and with nothing but the ROM.
#include <gtest/gtest.h>

#include <algorithm>

#include "bayswap/dig.h"
#include "demo/makers.h"
#include "support/card_zoo.h"
#include "support/folder.h"
#include "support/state_programs.h"

namespace bayswap {
namespace {

using test::RunningGame;
using test::StateFamily;
using test::StateProgram;
using test::TempFolder;
using test::operator+;

struct ChipKind {
  const char* layout;
  const char* rom_name;
  std::size_t size;
  Bytes (*rom)();
};

const std::vector<ChipKind>& chip_kinds() {
  static const std::vector<ChipKind> kinds{
      {"gb-battery", "Kite.gb", 0x2000, [] { return demo::gb_rom("KITE", 0x03, 2); }},
      {"gb-battery", "Kite.gb", 0x8000, [] { return demo::gb_rom("KITE", 0x13, 3); }},
      {"gb-battery", "Kite.gb", 0x20000, [] { return demo::gb_rom("KITE", 0x1B, 4); }},
      {"gb-battery", "Kite.gb", 0x200, [] { return demo::gb_rom("KITE", 0x06, 0); }},
      {"snes-battery", "Kite.sfc", 0x800, [] { return demo::snes_rom("KITE", 1, 1); }},
      {"snes-battery", "Kite.sfc", 0x2000, [] { return demo::snes_rom("KITE", 1, 3); }},
      {"gba-sram", "Kite.gba", 0x8000, [] { return demo::gba_rom("KITE", "BKTE", "SRAM_V113"); }},
      {"gba-flash64", "Kite.gba", 0x10000,
       [] { return demo::gba_rom("KITE", "BKTE", "FLASH512_V131"); }},
      {"gba-flash128", "Kite.gba", 0x20000,
       [] { return demo::gba_rom("KITE", "BKTE", "FLASH1M_V103"); }},
  };
  return kinds;
}

// The smallest chip has four bits in each of its cells.
Bytes in_cells(Bytes save) {
  if (save.size() == 0x200)
    for (std::byte& cell : save) cell |= std::byte{0xF0};
  return save;
}

enum class Writing { noise, text, records };

// Progress as games write it; `with`: what it begins with.
Bytes written(Writing writing, std::size_t size, const std::string& with, test::Numbers& numbers) {
  static const std::vector<std::string> kWords{"lamp ", "oil ",   "harbour ", "north ", "rope ",
                                               "tide ", "kite\n", "seven ",   "moss ",  "quay "};
  Bytes save(size, numbers() % 2 == 0 ? std::byte{0xFF} : std::byte{0});
  const std::size_t used = size / 2 + numbers() % (size / 2 - size / 16);
  for (std::size_t at = 0; at < used;) {
    std::string piece;
    if (writing == Writing::text)
      piece = kWords[numbers() % kWords.size()] + std::to_string(numbers() % 1000);
    if (writing == Writing::noise) piece = std::string(1, static_cast<char>(numbers() & 0xFFU));
    if (writing == Writing::records) {
      piece = "ITEM" + std::string(12, '\0');
      for (std::size_t i = 6; i < 14; ++i)
        piece[i] = static_cast<char>(numbers() % 3 == 0 ? 0 : numbers() & 0xFFU);
    }
    for (std::size_t i = 0; i < piece.size() && at < used; ++i)
      save[at++] = static_cast<std::byte>(piece[i]);
  }
  test::put(save, 0, with);
  return in_cells(std::move(save));
}

Bytes played_after_mark(const Bytes& save, unsigned percent, test::Numbers& numbers) {
  Bytes changed = save;
  const std::size_t count = save.size() * percent / 100;
  const bool block = numbers() % 2 == 0;
  const std::size_t start = block ? 8 + numbers() % (save.size() - count - 8) : 0;
  for (std::size_t i = 0; i < count; ++i)
    changed[block ? start + i : 8 + numbers() % (save.size() - 8)] =
        static_cast<std::byte>(numbers() & 0xFFU);
  return in_cells(std::move(changed));
}

Bytes piece_of(const Bytes& save, test::Numbers& numbers) {
  const std::size_t size = save.size() / 8 + numbers() % (save.size() / 2);
  const std::size_t start = numbers() % (save.size() - size);
  const auto from = save.begin() + static_cast<std::ptrdiff_t>(start);
  return {from, from + static_cast<std::ptrdiff_t>(size)};
}

StateProgram random_program(test::Numbers& numbers) {
  return {test::kStateFamilies[numbers() % test::kStateFamilies.size()], numbers() % 100'000};
}

struct DigCounts {
  int tried = 0;
  int found = 0;
  int wrong = 0;
};

class DigPrograms : public testing::Test {
 protected:
  DigPrograms() : session_(*Session::open(disk(), {folder_ / "config", folder_ / "data"})) {}
  // Whether exactly `save` comes out.
  void dig(DigRequest request, const Bytes& save, DigCounts& counts, const std::string& how) {
    ++counts.tried;
    request.out = folder_ / "found";
    request.replace = true;
    std::filesystem::remove(request.out);
    const auto dug = dig_state(session_, request);
    ASSERT_TRUE(dug) << how << ": " << dug.error().text;
    if (dug->outputs.empty()) return;
    const bool same = test::read(request.out) == save;
    EXPECT_TRUE(same) << how << ": " << dug->candidates.front().evidence;
    (same ? counts.found : counts.wrong) += 1;
  }
  TempFolder folder_;
  Session session_;
};

TEST_F(DigPrograms, WithAnOlderSave) {
  const int wanted = test::rounds(200);
  DigCounts once;
  DigCounts others;
  for (int round = 0; round < wanted; ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 1);
    const ChipKind& kind = chip_kinds()[numbers() % chip_kinds().size()];
    const auto writing = static_cast<Writing>(numbers() % 3);
    const unsigned percent = numbers() % 31;
    const StateProgram program = random_program(numbers);
    const Bytes older = written(writing, kind.size, "KITE1", numbers);
    RunningGame game;
    game.seed = numbers();
    game.frame = numbers() % 50;
    game.save = played_after_mark(older, percent, numbers);
    const unsigned around = numbers() % 8;
    DigRequest request;
    request.like = folder_.write("older.sav", older);
    request.is = kind.layout;
    Bytes save = game.save;
    if (around == 0 || around == 1) game.copy = piece_of(game.save, numbers);
    if (around == 2) game.copy = piece_of(older, numbers);
    if (around == 3) game.copy = game.save;
    if (around == 3 && kind.size >= 0x2000) game.copy.resize(kind.size / 3);
    if (around == 4) game.copy = older;  // which of the two it is cannot be told
    if (around == 5)
      request.like = folder_.write("older.sav", written(writing, kind.size, "MOSS1", numbers));
    if (around == 6) {
      game.save = test::random_bytes(kind.size, game.seed);
      game.copy = piece_of(save, numbers);
    }
    request.state = folder_.write("Kite.st0", program.state(game));
    const std::string how = "round " + std::to_string(round) + ", " + kind.layout + " of " +
                            std::to_string(kind.size) + ", writing " +
                            std::to_string(static_cast<int>(writing)) + ", " +
                            std::to_string(percent) + " percent, around " + std::to_string(around);
    dig(request, save, (around < 4 && around != 2) || around == 7 ? once : others, how);
  }
  std::printf("there once: %d of %d found, %d wrong; else: %d of %d found, %d wrong\n", once.found,
              once.tried, once.wrong, others.found, others.tried, others.wrong);
  EXPECT_EQ(once.wrong + others.wrong, 0);
  EXPECT_GE(once.found * 100, once.tried * 95);
}

// A save that lies in two pieces, as in a packed run with heads inside, is never half right.
TEST_F(DigPrograms, InTwoPieces) {
  const int wanted = test::rounds(100);
  DigCounts counts;
  for (int round = 0; round < wanted; ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 77);
    const ChipKind& kind = chip_kinds()[numbers() % chip_kinds().size()];
    const Bytes older = written(static_cast<Writing>(numbers() % 3), kind.size, "KITE1", numbers);
    const Bytes newer = played_after_mark(older, numbers() % 31, numbers);
    const std::size_t cut = kind.size / 16 + numbers() % (kind.size / 4);
    const auto at = newer.begin() + static_cast<std::ptrdiff_t>(cut);
    const Bytes first(newer.begin(), at);
    const Bytes second(at, newer.end());
    const Bytes between = test::random_bytes(1 + numbers() % 3000, numbers());
    const bool turned = numbers() % 2 == 0;
    DigRequest request;
    request.like = folder_.write("older.sav", older);
    request.is = kind.layout;
    request.state = folder_.write(
        "Kite.st0", test::random_bytes(numbers() % 3000, numbers()) +
                        (turned ? second + between + first : first + between + second) +
                        test::random_bytes(numbers() % 30'000, numbers()));
    dig(request, newer, counts, "round " + std::to_string(round) + " " + std::to_string(cut));
  }
  EXPECT_EQ(counts.wrong, 0);
  EXPECT_EQ(counts.found, 0);
}

TEST_F(DigPrograms, WithTheRomAlone) {
  const int wanted = test::rounds(120);
  DigCounts alone;
  DigCounts several;
  for (int round = 0; round < wanted; ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 1);
    const ChipKind& kind = chip_kinds()[numbers() % chip_kinds().size()];
    Bytes rom = kind.rom();
    const std::string signature = "KITE" + std::to_string(1000 + numbers() % 9000);
    if (numbers() % 2 == 0) test::put(rom, rom.size() - 200, signature);
    const StateProgram program = random_program(numbers);
    RunningGame game;
    game.seed = numbers();
    game.frame = numbers() % 50;
    game.save = written(static_cast<Writing>(numbers() % 3), kind.size, signature, numbers);
    const unsigned around = numbers() % 4;
    if (around == 0) game.copy = piece_of(game.save, numbers);
    if (around == 1) game.copy = played_after_mark(game.save, 10, numbers);
    const Bytes save = game.save;
    DigRequest request;
    request.rom = folder_.write(kind.rom_name, rom);
    request.state = folder_.write("Kite.st0", program.state(game));
    const bool more = numbers() % 2 == 0;
    for (int i = 0; more && i < 1 + round % 2; ++i) {
      game.frame += 1 + numbers() % 30;
      // Now and then it was saved between the two.
      if (numbers() % 4 == 0) game.save = played_after_mark(game.save, 5, numbers);
      request.also.push_back(folder_.write("Kite.st" + std::to_string(i + 1), program.state(game)));
    }
    dig(request, save, more ? several : alone,
        "round " + std::to_string(round) + ", " + kind.rom_name + " of " +
            std::to_string(kind.size) + ", around " + std::to_string(around));
  }
  std::printf("ROM alone: %d of %d found, %d wrong; more states: %d of %d found, %d wrong\n",
              alone.found, alone.tried, alone.wrong, several.found, several.tried, several.wrong);
  EXPECT_EQ(alone.wrong + several.wrong, 0);
  EXPECT_GE(alone.found * 2, alone.tried);
  EXPECT_GE(several.found * 3, several.tried);
}

}  // namespace
}  // namespace bayswap
