#include <gtest/gtest.h>

#include <map>

#include "bayswap/card_file.h"
#include "bayswap/carry.h"
#include "support/failing_storage.h"
#include "support/world.h"

namespace bayswap {
namespace {

class CarryPlans : public test::WorldTest {
 protected:
  static CarryRequest all_of(const std::string& from, const std::string& to) {
    CarryRequest request;
    request.all = true;
    request.from = from;
    request.to = to;
    return request;
  }
  static std::size_t count(const CarryReport& report, MoveStatus status) {
    return static_cast<std::size_t>(std::ranges::count(report.moves, status, &MoveReport::status));
  }
};

TEST_F(CarryPlans, AreDoneAsTheyWereShown) {
  const auto before = test::snapshot(folder_ / "den");
  Session session = open();
  auto plan = CarryPlan::make(session, all_of("reader", "den"));
  ASSERT_TRUE(plan) << plan.error().text;
  EXPECT_EQ(test::snapshot(folder_ / "den"), before) << "a plan writes nothing";
  const std::size_t planned = count(plan->report(), MoveStatus::planned);
  ASSERT_GT(planned, 1U);
  const auto done = plan->execute();
  ASSERT_TRUE(done) << done.error().text;
  ASSERT_EQ(done->moves.size(), plan->report().moves.size());
  EXPECT_EQ(count(*done, MoveStatus::done), planned);
  for (std::size_t i = 0; i < done->moves.size(); ++i) {
    EXPECT_EQ(done->moves[i].to, plan->report().moves[i].to);
    EXPECT_EQ(done->moves[i].size, plan->report().moves[i].size);
  }
  EXPECT_NE(test::snapshot(folder_ / "den"), before);
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::snapshot(folder_ / "den"), before) << "one command, taken back as a whole";
}

TEST_F(CarryPlans, WhatChangedSinceIsNotWritten) {
  Session session = open();
  CarryRequest request;
  request.saves = {"reader:Copper Tide"};
  request.to = "den";
  request.accept = {Code::newer_there};
  auto plan = CarryPlan::make(session, request);
  ASSERT_TRUE(plan);
  ASSERT_EQ(count(plan->report(), MoveStatus::planned), 1U);
  const Path target = plan->report().moves.front().to;
  Bytes played = test::read(target);
  played.front() ^= std::byte{1};
  folder_.write(target.lexically_relative(folder_.path()).string(), played);
  const auto done = plan->execute();
  ASSERT_TRUE(done);
  EXPECT_EQ(stop_code(*done), "in-use");
  EXPECT_EQ(test::read(target), played);
}

TEST_F(CarryPlans, StopBetweenSavesWhenAsked) {
  Session session = open();
  auto plan = CarryPlan::make(session, all_of("reader", "den"));
  ASSERT_TRUE(plan);
  test::Told told;
  told.stop_at = 2;
  session.progress = &told;
  const auto done = plan->execute();
  session.progress = nullptr;
  ASSERT_TRUE(done) << "what was done before is reported";
  ASSERT_TRUE(done->failed);
  EXPECT_EQ(done->failed->code, Code::cancelled);
  EXPECT_LT(done->moves.size(), plan->report().moves.size());
  // Asked at once, nothing happens at all.
  const auto before = test::snapshot(folder_ / "den");
  auto other = CarryPlan::make(session, all_of("ferry", "den"));
  ASSERT_TRUE(other);
  test::Told at_once;
  at_once.stop_at = 1;
  session.progress = &at_once;
  const auto nothing = other->execute();
  ASSERT_FALSE(nothing);
  EXPECT_EQ(nothing.error().code, Code::cancelled);
  EXPECT_EQ(test::snapshot(folder_ / "den"), before);
}

TEST_F(CarryPlans, SavesInMemoryGoLikeThoseInFiles) {
  const Path dump = folder_ / "reader/Copper Tide (America).sra";
  ASSERT_TRUE(std::filesystem::exists(dump)) << "the demo world changed";
  CarryRequest request;
  request.to = "den";
  request.accept = {Code::newer_there};
  GivenSave given;
  given.save.system = System::n64;
  given.save.kind = Kind::battery;
  given.save.parts.push_back({"sram", test::random_bytes(32'768, 7)});
  given.name = "Copper Tide (America)";
  request.given = {given};
  const Path there = folder_ / "den/saves/Copper Tide (America).srm";
  const Bytes before = test::read(there);
  const CarryReport report = carry_it(request);
  EXPECT_EQ(stop_code(report), "");
  ASSERT_EQ(report.moves.size(), 1U);
  EXPECT_EQ(report.moves.front().to, there.string());
  EXPECT_NE(test::read(there), before);
  const CarryReport again = carry_it(request);
  ASSERT_EQ(again.moves.size(), 1U);
  EXPECT_TRUE(again.moves.front().nothing_to_do) << "the same progress is there now";
  Session session = open();
  EXPECT_TRUE(undo(session, report.moves.front().move, {}));
  EXPECT_EQ(test::read(there), before);
}

TEST_F(CarryPlans, ASessionsLimitsCount) {
  auto session = Session::open(disk(), demo::places(folder_.path()), {.largest_file = 1000});
  ASSERT_TRUE(session);
  CarryRequest request;
  request.saves = {at("reader/Copper Tide (America).sra")};
  request.to = "den";
  const auto report = carry(*session, request);
  ASSERT_FALSE(report);
  EXPECT_EQ(report.error().code, Code::too_large);
}

// Counts how often folders are listed and files are read.
class CountingStorage : public test::FailingStorage {
 public:
  CountingStorage() : FailingStorage(0, Fault::error) {}
  Result<std::vector<std::string>> list(const Path& folder) override {
    ++times[folder];
    return FailingStorage::list(folder);
  }
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    ++times[path];
    return FailingStorage::view(path, limit);
  }
  std::map<Path, std::size_t> times;
};

TEST_F(CarryPlans, ManySavesReadEachCardAndWalkEachBayAsOneDoes) {
  learn("attic");
  const Path card = folder_ / "attic/cards/island.card";
  Session look = open();
  const auto island = show_card(look, card.string(), "");
  ASSERT_TRUE(island);
  ASSERT_FALSE(island->card.saves.empty());
  const auto counted = [&](const std::vector<GivenSave>& saves) {
    CountingStorage storage;
    Session session = open(storage);
    CarryRequest request;
    request.plan = true;
    request.given = saves;
    request.to = "attic";
    EXPECT_TRUE(carry(session, request));
    return storage.times;
  };
  std::vector<GivenSave> saves;
  for (const char letter : {'A', 'B', 'C'}) {
    Save save = island->card.saves.front().save;
    save.name.back() = letter;
    saves.push_back({save, save.name, 0});
  }
  const auto one = counted({saves.front()});
  const auto all = counted(saves);
  EXPECT_EQ(all.at(card), one.at(card));
  for (const auto& [path, times] : all)
    EXPECT_LE(times, one.contains(path) ? one.at(path) : 1U) << path;
}

}  // namespace
}  // namespace bayswap
