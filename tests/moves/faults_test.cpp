// Every changing operation of a carry fails in turn; the file is the old one or the new one, and
// the next run works.
#include "support/failing_storage.h"
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
      EXPECT_TRUE(now == old || now.size() == old.size() || old.empty()) << "operation " << at;
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

TEST_F(FaultsAt, AnErrorAnywhereLosesNothing) {
  EXPECT_GT(run_all(FailingStorage::Fault::error, "reader:Copper Tide",
                    folder_ / "den/saves/Copper Tide (America).srm"),
            2U);
}

TEST_F(FaultsAt, PowerLossAnywhereLosesNothing) {
  EXPECT_GT(run_all(FailingStorage::Fault::power_loss, "reader:Glacier Post",
                    folder_ / "den/saves/Glacier Post (America).srm"),
            2U);
}

}  // namespace
}  // namespace bayswap
