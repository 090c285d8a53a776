// Saves carried between programs that keep more, or less, than the chip, played on, and carried
// back. The programs are stand-ins.
#include <gtest/gtest.h>

#include "demo/makers.h"
#include "support/card_zoo.h"
#include "support/real_place.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

using test::operator+;

// What a program does with a game's chip.
struct Habit {
  std::string name;
  std::string extension;
  enum class Nibbles { a_byte_each, padded, two_in_a_byte } nibbles = Nibbles::a_byte_each;
  bool largest_chip = false;   // gba files are for the largest chip
  std::size_t clock_file = 0;  // bytes of a clock in a file of its own
  std::size_t clock_behind = 0;
};

struct HabitGame {
  std::string stem;
  std::string rom_extension;
  Bytes rom;
  std::size_t chip = 0;
  bool nibbles = false;
  bool clock = false;
  bool gba = false;
};

std::vector<HabitGame> habit_games() {
  return {{"Kite (Europe)", ".gb", demo::gb_rom("KITE", 0x06, 0), 0x200, true, false, false},
          {"Moss (Europe)", ".gb", demo::gb_rom("MOSS", 0x03, 2), 0x2000, false, false, false},
          {"Tin (Europe)", ".gb", demo::gb_rom("TIN", 0x10, 3), 0x8000, false, true, false},
          {"Quay (Europe)", ".gba", demo::gba_rom("QUAY", "BQYP", "SRAM_V113"), 0x8000, false,
           false, true},
          {"Ember (Europe)", ".gba", demo::gba_rom("EMBER", "BEMP", "FLASH512_V131"), 0x10000,
           false, false, true},
          {"Lamp (Europe)", ".gba", demo::gba_rom("LAMP", "BLPP", "FLASH1M_V103"), 0x20000, false,
           false, true}};
}

// A save of half the chip's bytes, the rest erased; cells of four bits where the chip has such.
Bytes progress(const HabitGame& game, std::uint32_t seed) {
  Bytes chip = test::random_bytes(game.chip / 2, seed) + Bytes(game.chip / 2, std::byte{0xFF});
  if (game.nibbles)
    for (std::byte& cell : chip) cell |= std::byte{0xF0};
  return chip;
}

constexpr std::uint64_t kNow = 1'700'000'000;

class ProgramHabits : public test::RealPlaceTest {
 protected:
  Path file_of(const Habit& habit, const HabitGame& game, const std::string& extension = {}) {
    return folder_ /
           (habit.name + "/" + game.stem + (extension.empty() ? habit.extension : extension));
  }

  void store(const Habit& habit, const HabitGame& game, Bytes chip, std::uint64_t clock, int age) {
    if (game.nibbles && habit.nibbles == Habit::Nibbles::padded)
      chip.resize(0x2000, std::byte{0xFF});
    if (game.nibbles && habit.nibbles == Habit::Nibbles::two_in_a_byte) {
      Bytes packed(chip.size() / 2);
      for (std::size_t i = 0; i < packed.size(); ++i)
        packed[i] = (chip[2 * i] & std::byte{0x0F}) | chip[2 * i + 1] << 4U;
      chip = packed;
    }
    if (game.gba && habit.largest_chip) chip.resize(0x20000, std::byte{0xFF});
    if (game.clock && habit.clock_behind > 0)
      chip = chip + demo::gb_clock(habit.clock_behind, 1, clock);
    folder_.write(habit.name + "/" + game.stem + habit.extension, chip, age);
    if (!game.clock || habit.clock_file == 0) return;
    Bytes beside = demo::gb_clock(48, 1, clock);
    if (habit.clock_file == 44) beside.resize(44);
    if (habit.clock_file == 8) beside.erase(beside.begin(), beside.begin() + 40);
    folder_.write(habit.name + "/" + game.stem + ".rtc", beside, age);
  }

  // What the program would load: the chip's bytes out of its file.
  Bytes load(const Habit& habit, const HabitGame& game) {
    Bytes file = test::read(file_of(habit, game));
    if (game.nibbles && habit.nibbles == Habit::Nibbles::two_in_a_byte && file.size() == 0x100) {
      Bytes chip;
      for (const std::byte pair : file) {
        chip.push_back((pair & std::byte{0x0F}) | std::byte{0xF0});
        chip.push_back(pair >> 4U | std::byte{0xF0});
      }
      return chip;
    }
    const std::size_t size = game.nibbles && habit.nibbles == Habit::Nibbles::padded ? 0x2000
                             : game.gba && habit.largest_chip                        ? 0x20000
                                                                                     : game.chip;
    const std::size_t behind = game.clock ? habit.clock_behind : 0;
    EXPECT_EQ(file.size(), size + behind) << habit.name << " would not load " << game.stem;
    file.resize(game.chip);
    if (game.nibbles)
      for (std::byte& cell : file) cell |= std::byte{0xF0};
    return file;
  }
};

TEST_F(ProgramHabits, CarriedThereAndBackAndPlayedOnBetween) {
  using Nibbles = Habit::Nibbles;
  const std::vector<Habit> habits{
      {"plain", ".sav", Nibbles::a_byte_each, false, 0, 0},
      {"large", ".sav", Nibbles::padded, true, 48, 0},
      {"small", ".srm", Nibbles::two_in_a_byte, false, 8, 0},
      {"behind", ".srm", Nibbles::a_byte_each, true, 0, 48},
      {"old", ".kp1", Nibbles::padded, false, 0, 44},
      {"beside", ".kept", Nibbles::a_byte_each, true, 44, 0},
  };
  const std::vector<HabitGame> games = habit_games();
  for (const Habit& habit : habits) {
    junk(habit.name);
    for (std::size_t i = 0; i < games.size(); ++i) {
      folder_.write(habit.name + "/" + games[i].stem + games[i].rom_extension, games[i].rom);
      store(habit, games[i], progress(games[i], static_cast<std::uint32_t>(i)), kNow, 30);
    }
  }
  const int wanted = test::rounds(120);
  int right = 0;
  for (int round = 0; round < wanted; ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 1);
    const Habit& one = habits[numbers() % habits.size()];
    const Habit& other = habits[numbers() % habits.size()];
    const HabitGame& game = games[numbers() % games.size()];
    if (&one == &other) continue;
    SCOPED_TRACE(std::to_string(round) + ": " + game.stem + " from " + one.name + " to " +
                 other.name);
    const Bytes played = progress(game, numbers());
    store(one, game, played, kNow + static_cast<std::uint64_t>(round), 3);
    CarryRequest request;
    request.accept = {Code::newer_there, Code::loses_parts, Code::both_changed};
    request.saves = {file_of(one, game).string()};
    request.to = at(other.name);
    const CarryReport there = carry_it(request);
    ASSERT_EQ(stop_code(there), "");
    EXPECT_EQ(load(other, game), played);
    // Played on, in the other program's form, and back.
    const Bytes more = progress(game, numbers());
    store(other, game, more, kNow + 1000 + static_cast<std::uint64_t>(round), 1);
    request.saves = {file_of(other, game).string()};
    request.to = at(one.name);
    const CarryReport back = carry_it(request);
    ASSERT_EQ(stop_code(back), "");
    EXPECT_EQ(load(one, game), more);
    right += load(one, game) == more ? 1 : 0;
    if (!game.clock) {
      EXPECT_TRUE(is_missing(disk(), file_of(one, game, ".rtc"))) << "a clock from nothing";
    }
  }
  std::printf("%d carries there and back right\n", right);
  EXPECT_GT(right, 0);
}

TEST_F(ProgramHabits, SayWhatBecomesOfTheClock) {
  const Habit plain{"plain", ".sav"};
  const Habit behind{"behind", ".srm", Habit::Nibbles::a_byte_each, false, 0, 48};
  const std::vector<HabitGame> games = habit_games();
  const HabitGame& game = games[2];
  for (const Habit& habit : {plain, behind}) {
    folder_.write(habit.name + "/" + game.stem + game.rom_extension, game.rom);
    store(habit, game, progress(game, 1), kNow, 30);
    const HabitGame& other = games[1];
    folder_.write(habit.name + "/" + other.stem + other.rom_extension, other.rom);
    store(habit, other, progress(other, 1), kNow, 30);
  }
  const auto notes_of = [&](const Habit& from, const Habit& to, std::set<Code> accept) {
    accept.insert(Code::newer_there);
    std::string notes;
    const CarryReport report = carry_one(file_of(from, game).string(), at(to.name), accept);
    for (const MoveReport& move : report.moves)
      for (const Finding& check : move.checks) notes += check.text + "\n";
    return notes;
  };
  store(plain, game, progress(game, 2), kNow, 3);
  EXPECT_NE(notes_of(plain, behind, {}).find("the clock there stays as it is"), std::string::npos);
  store(behind, game, progress(game, 3), kNow, 2);
  EXPECT_NE(notes_of(behind, plain, {}).find("clock (48 B) holds progress"), std::string::npos);
  std::filesystem::remove(file_of(behind, game));
  EXPECT_NE(notes_of(plain, behind, {}).find("the clock stays behind"), std::string::npos);
}

}  // namespace
}  // namespace bayswap
