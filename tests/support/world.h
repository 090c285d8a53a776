// A demo world in a temporary folder with its bays learned.
#pragma once

#include <gtest/gtest.h>

#include "bayswap/carry.h"
#include "demo/world.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap::test {

/// What a session's operations say of their progress; stops them when it is asked to.
class Told : public Progress {
 public:
  bool report(Work work, std::uint64_t done, std::uint64_t all) override {
    if (work == Work::bytes) {
      EXPECT_GT(done, bytes);
      bytes = done;
      all_bytes = all;
    }
    ++steps;
    return steps < stop_at;
  }
  std::uint64_t bytes = 0;
  std::uint64_t all_bytes = 0;
  std::size_t steps = 0;
  std::size_t stop_at = ~std::size_t{0};
};

class WorldTest : public testing::Test {
 protected:
  void SetUp() override {
    ASSERT_TRUE(demo::build_world(folder_.path()));
    for (const std::string name : {"reader", "den", "ferry"}) learn(name);
  }

  void learn(const std::string& name) {
    Session session = open();
    const auto bay = learn_bay(disk(), session.catalog, name, folder_ / name);
    ASSERT_TRUE(bay) << bay.error().text;
    ASSERT_TRUE(session.bays.put(disk(), session.bays_file(), *bay));
  }

  [[nodiscard]] Session open(Storage& storage = disk()) {
    auto session = Session::open(storage, demo::places(folder_.path()));
    EXPECT_TRUE(session) << session.error().text;
    return std::move(*session);
  }

  CarryReport carry_it(CarryRequest request, Storage& storage = disk()) {
    Session session = open(storage);
    auto report = carry(session, request);
    EXPECT_TRUE(report) << report.error().text;
    return report ? *report : CarryReport{};
  }

  CarryReport carry_one(const std::string& save, const std::string& to,
                        const std::set<Code>& accept = {}) {
    CarryRequest request;
    request.saves = {save};
    request.to = to;
    request.accept = accept;
    return carry_it(std::move(request));
  }

  /// The code of the check that stopped it; empty when nothing did.
  static std::string stop_code(const CarryReport& report) {
    for (const MoveReport& move : report.moves)
      if (move.status == MoveStatus::stopped)
        for (const Finding& check : move.checks)
          if (check.level == Level::error) return std::string(to_string(check.code));
    return {};
  }

  [[nodiscard]] std::string at(const std::string& name) const { return (folder_ / name).string(); }

  TempFolder folder_;
};

/// The two places of the cabinet apart, so that one is not inside the other's bay, both learned.
class TitlePlaces : public WorldTest {
 protected:
  void SetUp() override {
    WorldTest::SetUp();
    for (const std::string name : {"desk", "console"}) {
      std::filesystem::rename(folder_ / ("cabinet/" + name), folder_ / name);
      learn(name);
    }
  }
};

}  // namespace bayswap::test
