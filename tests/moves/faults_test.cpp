// Every changing operation of a carry fails in turn; the file is the old one or the new one, and
// the next run works.
#include "support/failing_storage.h"
#include "support/rounds.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::FailingStorage;
using test::read;

class FaultsAt : public test::WorldTest {
 protected:
  // Carries with a fault at each operation; gives how many were injected.
  std::size_t run_all(FailingStorage::Fault fault, const std::string& save, const Path& target) {
    const Bytes old = read(target);
    const auto before = test::snapshot(folder_ / "den");
    (void)carry_one(save, "den");
    const Bytes wanted = read(target);
    EXPECT_NE(wanted, old);
    {
      Session session = open();
      EXPECT_TRUE(undo(session, "", {}));
    }
    std::size_t injected = 0;
    for (std::size_t at = 1; at < 100; ++at) {
      FailingStorage storage(at, fault);
      Session session = open(storage);
      CarryRequest request;
      request.saves = {save};
      request.to = "den";
      const auto report = carry(session, request);
      if (!storage.failed()) {
        EXPECT_TRUE(report && !report->failed && report->moves.at(0).status == MoveStatus::done);
        Session last = open();
        EXPECT_TRUE(undo(last, "", {}));
        EXPECT_EQ(test::snapshot(folder_ / "den"), before);
        return injected;
      }
      ++injected;
      const Bytes now = read(target);
      EXPECT_TRUE(now == old || now == wanted) << "operation " << at;
      if (!report) {
        EXPECT_EQ(report.error().trouble, Trouble::place) << report.error().text;
      }
      Session next = open();
      EXPECT_TRUE(recover(next));
      const Bytes recovered = read(target);
      if (recovered != old) {
        EXPECT_TRUE(undo(next, "", {}));
      }
      EXPECT_EQ(read(target), old) << "operation " << at;
      for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "den"))
        EXPECT_FALSE(entry.path().filename().string().starts_with(".bayswap-")) << entry.path();
    }
    return 0;
  }
};

// A whole folder at each operation: never a mixture, neither right after nor after the next run.
class FolderFaultsAt : public test::TitlePlaces {
 protected:
  void SetUp() override {
    test::TitlePlaces::SetUp();
    std::filesystem::create_directories(target_ / "empty");
  }

  // `plain`: on a file system that can't swap names in one step, and has no second names.
  std::size_t run_all(FailingStorage::Fault fault, bool plain, std::size_t step = 1) {
    const auto old = test::contents(target_);
    const auto wanted = test::contents(folder_ / "desk/wiiu/00050000/10100a00/user/80000001");
    const auto before = test::snapshot(folder_ / "console");
    std::size_t injected = 0;
    for (std::size_t at = 1; at < 200; at += step) {
      FailingStorage storage(at, fault);
      if (plain) storage.be_plain();
      Session session = open(storage);
      CarryRequest request;
      request.saves = {"desk:Halyard"};
      request.to = "console";
      const auto report = carry(session, request);
      if (!storage.failed()) {
        EXPECT_EQ(test::contents(target_), wanted);
        Session last = open();
        EXPECT_TRUE(undo(last, "", {}));
        EXPECT_EQ(test::snapshot(folder_ / "console"), before);
        return injected;
      }
      ++injected;
      const auto now = test::contents(target_);
      EXPECT_TRUE(now == old || now == wanted || (plain && now.empty())) << "operation " << at;
      Session next = open();
      EXPECT_TRUE(recover(next));
      const auto recovered = test::contents(target_);
      EXPECT_TRUE(recovered == old || recovered == wanted) << "operation " << at;
      if (recovered != old) {
        EXPECT_TRUE(undo(next, "", {})) << "operation " << at;
      }
      EXPECT_EQ(test::contents(target_), old) << "operation " << at;
      EXPECT_TRUE(std::filesystem::exists(target_ / "empty")) << "operation " << at;
      for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / "console"))
        EXPECT_FALSE(entry.path().filename().string().starts_with(".bayswap-")) << entry.path();
    }
    return 0;
  }

  const Path target_ = folder_ / "console/save/00050000/10100a00/user/8000002a";
};

TEST_F(FolderFaultsAt, EachLeavesOldOrNew) {
  std::size_t injected = 0;
  for (const auto fault : FailingStorage::kFaults)
    for (const bool plain : {false, true}) injected += run_all(fault, plain);
  EXPECT_GT(injected, 60U);
  std::printf("%zu faults\n", injected);
}

// Files that are too large to be held are copied, and their old versions kept, in pieces.
class LargeFolderFaultsAt : public FolderFaultsAt {
 protected:
  void SetUp() override {
    FolderFaultsAt::SetUp();
    const std::string from = "desk/wiiu/00050000/10100a00/user/80000001/";
    folder_.write(from + "world.bin", test::random_bytes(9U << 20U, 1));
    folder_.write(from + "map.bin", test::random_bytes(100'000, 2));
    const std::string to = "console/save/00050000/10100a00/user/8000002a/";
    folder_.write(to + "world.bin", test::random_bytes(100'000, 3), 200);
  }
};

TEST_F(LargeFolderFaultsAt, EachLeavesOldOrNew) {
  std::size_t injected = 0;
  for (const auto fault : FailingStorage::kFaults)
    for (const bool plain : {false, true}) injected += run_all(fault, plain, test::step_of(20));
  EXPECT_GT(injected, 60U / test::step_of(20));
  std::printf("%zu faults\n", injected);
}

TEST_F(FaultsAt, EachLosesNothing) {
  std::size_t injected = 0;
  for (const auto fault : FailingStorage::kFaults)
    for (const std::string name : {"Copper Tide", "Glacier Post"})
      injected +=
          run_all(fault, "reader:" + name, folder_ / ("den/saves/" + name + " (America).srm"));
  EXPECT_GE(injected, 16U);
  std::printf("%zu faults\n", injected);
}

}  // namespace
}  // namespace bayswap
