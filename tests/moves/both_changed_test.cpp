// Two places that are both played on: neither progress is lost without a word.
#include <gtest/gtest.h>

#include <random>

#include "bayswap/card.h"
#include "bayswap/carry.h"
#include "demo/card_makers.h"
#include "demo/makers.h"
#include "support/rounds.h"
#include "support/world.h"

namespace bayswap {
namespace {

// A way of keeping a save in a place: as a file, as a title's folder, or on a card.
class Keeping {
 public:
  explicit Keeping(const test::TempFolder& folder) : folder_(folder) {}
  virtual ~Keeping() = default;
  virtual void play(const std::string& place, std::uint32_t seed) = 0;
  [[nodiscard]] virtual std::string save(const std::string& place) const = 0;
  /// The progress, so that two places can be compared.
  [[nodiscard]] virtual Bytes progress(const std::string& place) const = 0;

 protected:
  // An hour after all before it, and long ago.
  static void date(const std::string& path, std::uint32_t played) {
    constexpr std::int64_t kStart = 1'700'000'000;
    const auto time = std::chrono::sys_seconds(
        std::chrono::seconds(kStart + static_cast<std::int64_t>(played) * 3600));
    std::filesystem::last_write_time(path, std::chrono::file_clock::from_sys(time));
  }
  [[nodiscard]] std::string at(const std::string& path) const { return (folder_ / path).string(); }
  void put(const std::string& path, ByteView bytes) const {
    folder_.write(std::filesystem::relative(path, folder_.path()).string(), bytes);
  }

 private:
  const test::TempFolder& folder_;
};

class AsFile final : public Keeping {
 public:
  using Keeping::Keeping;
  void play(const std::string& place, std::uint32_t seed) override {
    put(at(place + "/gb/Kite (Europe).gb"), demo::gb_rom("KITE", 0x03, 2));
    put(save(place), test::random_bytes(0x2000, seed));
    date(save(place), seed);
  }
  [[nodiscard]] std::string save(const std::string& place) const override {
    return at(place + "/gb/Kite (Europe).sav");
  }
  [[nodiscard]] Bytes progress(const std::string& place) const override {
    return test::read(save(place));
  }
};

class AsFolder final : public Keeping {
 public:
  using Keeping::Keeping;
  void play(const std::string& place, std::uint32_t seed) override {
    // A game changes one of its files, or both.
    if (seed % 3 != 0 || !std::filesystem::exists(save(place) + "/main"))
      write(save(place) + "/main", seed);
    if (seed % 3 != 1 || !std::filesystem::exists(save(place) + "/route/1.bin"))
      write(save(place) + "/route/1.bin", seed + 1000);
  }
  [[nodiscard]] std::string save(const std::string& place) const override {
    return at(place + "/title/00040000/000d4c00/data/00000001");
  }
  [[nodiscard]] Bytes progress(const std::string& place) const override {
    Bytes all = test::read(save(place) + "/main");
    const Bytes more = test::read(save(place) + "/route/1.bin");
    all.insert(all.end(), more.begin(), more.end());
    return all;
  }

 private:
  // With the time of day: which files a move left alone, history tells by when it was.
  void write(const std::string& path, std::uint32_t seed) {
    put(path, test::random_bytes(3000, seed));
  }
};

class OnCard final : public Keeping {
 public:
  using Keeping::Keeping;
  void play(const std::string& place, std::uint32_t seed) override {
    const CardLayout& layout = *as_card(*find_layout("ps1-card"));
    std::vector<Save> saves{save_of(seed)};
    // Others on the card go on, too, and are nobody's business.
    Save other = save_of(seed + 500);
    other.name = "BESLES-01234OTHER";
    saves.push_back(std::move(other));
    Bytes card = *layout.format(15);
    card = layout.change(card, {{}, saves})->bytes;
    put(card_of(place), card);
    date(card_of(place), seed);
  }
  [[nodiscard]] std::string save(const std::string& place) const override {
    return card_of(place) + ":BESLES-03141KITE";
  }
  [[nodiscard]] Bytes progress(const std::string& place) const override {
    const auto card = as_card(*find_layout("ps1-card"))->open(test::read(card_of(place)));
    for (const CardSave& on_card : card->saves)
      if (on_card.save.name == "BESLES-03141KITE") return on_card.save.parts[0].data;
    return {};
  }

 private:
  [[nodiscard]] std::string card_of(const std::string& place) const {
    return at(place + "/cards/slot 1.card");
  }
  static Save save_of(std::uint32_t seed) {
    return demo::ps1_save("BESLES-03141KITE", "Kite", 1, demo::Art::kite, seed);
  }
};

class BothChanged : public test::WorldTest, public testing::WithParamInterface<std::string> {
 protected:
  void SetUp() override {
    WorldTest::SetUp();
    if (GetParam() == "file") keeping_ = std::make_unique<AsFile>(folder_);
    if (GetParam() == "folder") keeping_ = std::make_unique<AsFolder>(folder_);
    if (GetParam() == "card") keeping_ = std::make_unique<OnCard>(folder_);
    play("flat");
    play("train");
  }

  void play(const std::string& place) { keeping_->play(place, ++played_); }

  CarryReport carry(const std::string& from, const std::string& to, std::set<Code> accept = {}) {
    accept.insert(Code::in_use);  // what was played a moment ago
    return carry_one(keeping_->save(from), at(to), accept);
  }

  std::string carry_between(const std::string& from, const std::string& to) {
    const CarryReport report = carry(from, to);
    if (report.moves.size() != 1) return "no move";
    if (report.moves[0].nothing_to_do) return "same";
    return report.moves[0].status == MoveStatus::done ? "done" : stop_code(report);
  }

  std::unique_ptr<Keeping> keeping_;
  std::uint32_t played_ = 0;
};

TEST_P(BothChanged, IsSaidWithTimesAndCanBeLetThrough) {
  EXPECT_EQ(carry_between("train", "flat"), "done");
  play("train");
  play("flat");
  const CarryReport report = carry("train", "flat");
  EXPECT_EQ(stop_code(report), "both-changed");
  const Findings& checks = report.moves.at(0).checks;
  const auto said = std::ranges::find(checks, Code::both_changed, &Finding::code);
  ASSERT_NE(said, checks.end());
  const std::string& text = said->text;
  EXPECT_NE(text.find("UTC, "), text.rfind("UTC, ")) << "both with a size: " << text;
  EXPECT_EQ(stop_code(carry("flat", "train")), "both-changed") << "either way";
  const Bytes mine = keeping_->progress("train");
  EXPECT_EQ(stop_code(carry("train", "flat", {Code::both_changed})), "");
  EXPECT_TRUE(keeping_->progress("flat") == mine);
}

// A move that only took a file away says nothing of the files that it left alone.
TEST_P(BothChanged, BehindAFileThatTheMoveTookAway) {
  if (GetParam() != "folder") GTEST_SKIP() << "only folders have more files than one";
  ASSERT_EQ(carry_between("train", "flat"), "done");
  folder_.write("flat/title/00040000/000d4c00/data/00000001/left.dat", test::random_bytes(50, 9));
  CarryRequest request;
  request.saves = {keeping_->save("train")};
  request.to = at("flat");
  request.whole = true;
  request.accept = {Code::in_use, Code::newer_there};
  ASSERT_EQ(stop_code(carry_it(request)), "");
  play("flat");
  play("train");
  EXPECT_EQ(carry_between("train", "flat"), "both-changed");
}

// Against a model: what each place holds, and whether it went on since both were equal.
TEST_P(BothChanged, InRandomHistories) {
  std::mt19937 numbers(12);
  ASSERT_EQ(carry_between("train", "flat"), "done");
  std::map<std::string, bool> changed{{"flat", false}, {"train", false}};
  for (int step = 0; step < test::rounds(300); ++step) {
    const std::string one = numbers() % 2 == 0 ? "flat" : "train";
    const std::string other = one == "flat" ? "train" : "flat";
    if (numbers() % 3 == 0) {
      play(one);
      changed[one] = true;
      continue;
    }
    const Bytes before = keeping_->progress(other);
    const std::string happened = carry_between(one, other);
    const std::string expected = changed[one] && changed[other] ? "both-changed"
                                 : changed[other]               ? "newer-there"
                                 : changed[one]                 ? "done"
                                                                : "same";
    ASSERT_EQ(happened, expected) << "step " << step << " from " << one;
    if (happened == "done") {
      EXPECT_TRUE(keeping_->progress(other) == keeping_->progress(one));
      changed[one] = changed[other] = false;
      continue;
    }
    EXPECT_TRUE(keeping_->progress(other) == before);
    // The player decides now and then.
    if (happened == "both-changed" && numbers() % 2 == 0) {
      ASSERT_EQ(stop_code(carry(one, other, {Code::both_changed})), "");
      changed[one] = changed[other] = false;
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Keepings, BothChanged, testing::Values("file", "folder", "card"),
                         [](const auto& info) { return info.param; });

}  // namespace
}  // namespace bayswap
