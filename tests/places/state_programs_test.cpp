// States of the stand-ins, told apart by program.
#include <gtest/gtest.h>

#include "bayswap/state.h"
#include "support/card_zoo.h"
#include "support/rounds.h"
#include "support/state_programs.h"

namespace bayswap {
namespace {

using test::RunningGame;
using test::StateProgram;

RunningGame game_called(const std::string& title, test::Numbers& numbers) {
  static constexpr std::array<std::size_t, 4> kChips{0x2000, 0x8000, 0x800, 0x10000};
  RunningGame game;
  game.title = title;
  game.seed = numbers();
  game.save = test::random_bytes(kChips[numbers() % kChips.size()], game.seed);
  return game;
}

StateMaker maker_of(const StateProgram& program, RunningGame game, unsigned frame,
                    const std::string& name) {
  game.frame = frame;
  const auto info = read_state(program.state(game), name);
  EXPECT_TRUE(info);
  return info ? info->maker : StateMaker{};
}

TEST(StatePrograms, AreToldApartAtAnyFrame) {
  const int wanted = test::rounds(400);
  int right = 0;
  for (int round = 0; round < wanted; ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 1);
    const auto family = test::kStateFamilies[numbers() % test::kStateFamilies.size()];
    const bool same_family = numbers() % 2 == 0;
    const StateProgram program(family, numbers() % 100'000);
    const StateProgram other(
        same_family ? family : test::kStateFamilies[numbers() % test::kStateFamilies.size()],
        100'000 + numbers() % 100'000);
    const RunningGame kite = game_called("KITE HARBOUR", numbers);
    const RunningGame moss = game_called("MOSS", numbers);
    const unsigned frame = numbers() % 3 == 0 ? 0 : numbers() % 1000;
    const StateMaker there = maker_of(program, kite, frame, "a/Kite Harbour.st1");
    const bool same_program_made_it = numbers() % 2 == 0;
    const bool same_game = numbers() % 2 == 0;
    const StateMaker own =
        maker_of(same_program_made_it ? program : other, same_game ? kite : moss, numbers() % 1000,
                 same_game ? "b/Kite Harbour.state" : "b/Moss.state");
    const bool correct = same_program(own, there, same_game) == same_program_made_it;
    right += correct ? 1 : 0;
    if (!correct)
      std::printf("round %d: family %d, %s program, %s game, same family %d\n  %s\n  %s\n", round,
                  static_cast<int>(family), same_program_made_it ? "same" : "other",
                  same_game ? "same" : "other", same_family, maker_text(there).c_str(),
                  maker_text(own).c_str());
  }
  std::printf("%d of %d pairs right\n", right, wanted);
  EXPECT_GE(right * 100, wanted * 98);
}

// Memory of all kinds right behind two numbers that may be a width and a height.
TEST(StatePrograms, MemoryIsNoPicture) {
  const int wanted = test::rounds(400);
  int shown = 0;
  for (int round = 0; round < wanted; ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 1);
    const StateProgram program(test::kStateFamilies[numbers() % test::kStateFamilies.size()],
                               numbers());
    RunningGame game = game_called("KITE", numbers);
    Bytes state = program.state(game);
    if (round % 2 == 0) {
      static constexpr std::array<unsigned, 8> kSides{64, 128, 144, 160, 200, 224, 240, 256};
      const unsigned width = kSides[numbers() % kSides.size()];
      const unsigned height = kSides[numbers() % kSides.size()];
      // Tiles, tables that count, waves, or what a game keeps.
      const unsigned kind = numbers() % 5;
      const std::size_t step = 1 + numbers() % 40;
      Bytes memory = StateProgram::memory(300'000, numbers(), 1);
      if (kind != 0)
        for (std::size_t at = 0; at < memory.size(); ++at) {
          const std::size_t value = kind == 1   ? at / step
                                    : kind == 2 ? at % step * 5
                                    : kind == 3 ? (at / step % 2 == 0 ? 0 : at / 3000)
                                                : at * at / 50'000;
          memory[at] = static_cast<std::byte>(value & 0xFFU);
        }
      Bytes head(8);
      head[0] = static_cast<std::byte>(width & 0xFFU);
      head[1] = static_cast<std::byte>(width >> 8U);
      const std::size_t second = round % 4 == 0 ? 2 : 4;
      head[second] = static_cast<std::byte>(height & 0xFFU);
      head[second + 1] = static_cast<std::byte>(height >> 8U);
      head.resize(second * 2);
      state = test::operator+(head, memory);
    }
    const auto info = read_state(state, "Kite.st1");
    ASSERT_TRUE(info);
    shown += info->picture ? 1 : 0;
  }
  std::printf("%d of %d states without a picture show one\n", shown, wanted);
  EXPECT_LE(shown * 1000, wanted);
}

}  // namespace
}  // namespace bayswap
