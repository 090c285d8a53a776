// Two places that are both played on: neither progress is lost without a word.
#include <gtest/gtest.h>

#include <random>

#include "bayswap/carry.h"
#include "demo/makers.h"
#include "support/rounds.h"
#include "support/world.h"

namespace bayswap {
namespace {

class BothChanged : public test::WorldTest {
 protected:
  void SetUp() override {
    WorldTest::SetUp();
    for (const std::string place : {"flat", "train"})
      folder_.write(place + "/gb/Kite (Europe).gb", demo::gb_rom("KITE", 0x03, 2));
  }

  [[nodiscard]] std::string save(const std::string& place) const {
    return at(place + "/gb/Kite (Europe).sav");
  }

  void play(const std::string& place) {
    folder_.write(place + "/gb/Kite (Europe).sav", test::random_bytes(0x2000, ++played_));
    // An hour after all before it, and long ago.
    constexpr std::int64_t kStart = 1'700'000'000;
    const auto time = std::chrono::sys_seconds(
        std::chrono::seconds(kStart + static_cast<std::int64_t>(played_) * 3600));
    std::filesystem::last_write_time(save(place), std::chrono::file_clock::from_sys(time));
  }

  std::string carry_between(const std::string& from, const std::string& to) {
    const CarryReport report = carry_one(save(from), at(to));
    if (report.moves.size() != 1) return "no move";
    if (report.moves[0].nothing_to_do) return "same";
    return report.moves[0].status == MoveStatus::done ? "done" : stop_code(report);
  }

  std::uint32_t played_ = 0;
};

TEST_F(BothChanged, IsSaidWithTimesAndCanBeLetThrough) {
  play("flat");
  play("train");
  EXPECT_EQ(carry_between("train", "flat"), "done");
  play("train");
  play("flat");
  const CarryReport report = carry_one(save("train"), at("flat"));
  EXPECT_EQ(stop_code(report), "both-changed");
  const std::string text = report.moves.at(0).checks.back().text;
  EXPECT_NE(text.find("2023-11-"), std::string::npos) << text;
  EXPECT_NE(text.find("8 KiB"), std::string::npos) << text;
  EXPECT_EQ(stop_code(carry_one(save("flat"), at("train"))), "both-changed") << "either way";
  const Bytes mine = test::read(save("train"));
  EXPECT_EQ(stop_code(carry_one(save("train"), at("flat"), {Code::both_changed})), "");
  EXPECT_TRUE(test::read(save("flat")) == mine);
}

// Against a model: what each place holds, and whether it went on since both were equal.
TEST_F(BothChanged, InRandomHistories) {
  std::mt19937 numbers(12);
  play("flat");
  play("train");
  ASSERT_EQ(carry_between("train", "flat"), "done");
  std::map<std::string, bool> changed{{"flat", false}, {"train", false}};
  for (int step = 0; step < test::rounds(400); ++step) {
    const std::string one = numbers() % 2 == 0 ? "flat" : "train";
    const std::string other = one == "flat" ? "train" : "flat";
    if (numbers() % 3 == 0) {
      play(one);
      changed[one] = true;
      continue;
    }
    const Bytes before = test::read(save(other));
    const std::string happened = carry_between(one, other);
    const std::string expected = changed[one] && changed[other] ? "both-changed"
                                 : changed[other]               ? "newer-there"
                                 : changed[one]                 ? "done"
                                                                : "same";
    ASSERT_EQ(happened, expected) << "step " << step << " from " << one;
    if (happened == "done") {
      EXPECT_TRUE(test::read(save(other)) == test::read(save(one)));
      changed[one] = changed[other] = false;
      continue;
    }
    EXPECT_TRUE(test::read(save(other)) == before);
    // The player decides now and then.
    if (happened == "both-changed" && numbers() % 2 == 0) {
      ASSERT_EQ(stop_code(carry_one(save(one), at(other), {Code::both_changed})), "");
      changed[one] = changed[other] = false;
    }
  }
}

}  // namespace
}  // namespace bayswap
