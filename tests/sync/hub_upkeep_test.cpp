// What keeps a hub in order: bundles of journal entries, objects that it lost, and what is not on
// it yet. And a watch over a place that comes and goes.
#include <algorithm>
#include <thread>

#include "bayswap/watch.h"
#include "hub/folder_store.h"
#include "hub/hub.h"
#include "sync/devices.h"

namespace bayswap {
namespace {

using test::Device;
using test::kGame;

class HubUpkeep : public test::SyncTest {
 protected:
  std::vector<std::string> journal_files() {
    std::vector<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(world_ / "hub/journal"))
      names.push_back(entry.path().filename().string());
    std::ranges::sort(names);
    return names;
  }
  void play_and_sync(const Device& device, std::uint32_t first, std::uint32_t last) {
    for (std::uint32_t i = first; i <= last; ++i) {
      device.play(kGame, progress(i));
      synced(device);
    }
  }
  static HubChecked checked(const Device& device) {
    Session session = device.open();
    auto checked = check_hub(session);
    EXPECT_TRUE(checked) << checked.error().text;
    return checked ? std::move(*checked) : HubChecked{};
  }
};

TEST_F(HubUpkeep, BundlesEntriesOfADevice) {
  Device& den = device("den", 0);
  play_and_sync(den, 1, 63);
  EXPECT_EQ(journal_files().size(), 63U);
  play_and_sync(den, 64, 66);
  const auto files = journal_files();
  ASSERT_EQ(files.size(), 3U);
  EXPECT_EQ(files[0].substr(16), "-00000001-00000064");
  EXPECT_EQ(files[1].substr(16), "-00000065");
  EXPECT_EQ(checked(den).entries, 66U);
  // Who comes later reads the bundle.
  Device& ferry = device("ferry", 1);
  synced(ferry);
  EXPECT_EQ(ferry.save(kGame), progress(66));
  Session session = ferry.open();
  EXPECT_EQ(show_hub(session)->versions, 66U);
  EXPECT_TRUE(checked(ferry).damaged.empty());
}

TEST_F(HubUpkeep, MendsABundleThatIsDamaged) {
  Device& den = device("den", 0);
  play_and_sync(den, 1, 64);
  const std::string bundle = journal_files().at(0);
  world_.write("hub/journal/" + bundle, std::string("no bundle"));
  Device& ferry = device("ferry", 1);
  EXPECT_TRUE(ferry.sync()->damaged);
  EXPECT_EQ(checked(ferry).damaged.size(), 1U);
  EXPECT_EQ(checked(den).mended.size(), 64U);
  synced(ferry);
  EXPECT_EQ(ferry.save(kGame), progress(64));
  // The next time that a bundle is due, the damaged one is replaced as well.
  play_and_sync(den, 65, 128);
  EXPECT_EQ(journal_files().size(), 2U);
  EXPECT_TRUE(checked(den).damaged.empty());
}

// A home that is brought back from a backup must not write its old numbers again, although no file
// with just that name lies there any more.
TEST_F(HubUpkeep, KnowsNumbersThatAreInABundle) {
  Device& den = device("den", 0);
  play_and_sync(den, 1, 10);
  std::filesystem::copy(den.home(), world_ / "backup", std::filesystem::copy_options::recursive);
  play_and_sync(den, 11, 64);
  ASSERT_EQ(journal_files().size(), 1U);
  std::filesystem::remove_all(den.home());
  std::filesystem::copy(world_ / "backup", den.home(), std::filesystem::copy_options::recursive);
  // It does not see the bundle, as where a listing lags behind.
  auto hub = Hub::join(open_folder_store(disk(), world_ / "hub"));
  ASSERT_TRUE(hub);
  JournalEntry again;
  again.device = journal_files().at(0).substr(0, 16);
  again.number = 11;
  const Bytes bytes = entry_bytes(again);
  EXPECT_EQ(hub->put_entry(again, bytes), false);
  den.play(kGame, progress(200));
  const SyncReport report = synced(den);
  EXPECT_FALSE(report.notes.empty()) << "it goes on as a new device, and says so";
}

TEST_F(HubUpkeep, PutsBackWhatTheHubLost) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  den.play("TIDE TABLE", progress(2));
  synced(den);
  std::filesystem::remove_all(world_ / "hub/objects");
  std::filesystem::create_directory(world_ / "hub/objects");
  den.play("TIDE TABLE", progress(3));
  synced(den);
  synced(ferry);
  EXPECT_EQ(ferry.save(kGame), progress(1)) << "nothing asked for it";
  EXPECT_EQ(ferry.save("TIDE TABLE"), progress(3));
}

TEST_F(HubUpkeep, SaysWhatIsNotOnTheHubYet) {
  Device& den = device("den", 0);
  den.play(kGame, progress(1));
  Session session = den.open();
  ASSERT_EQ(show_hub(session)->unsent.size(), 1U);
  synced(den);
  EXPECT_TRUE(show_hub(session)->unsent.empty());
  // A place that is away is named.
  const Path place = den.home() / "place";
  std::filesystem::rename(place, den.home() / "away");
  EXPECT_EQ(show_hub(session)->notes.size(), 1U);
  std::filesystem::rename(den.home() / "away", place);
  // Held back: not there either.
  den.play(kGame, Bytes(0x2000, std::byte{0xFF}));
  EXPECT_EQ(show_hub(session)->unsent.size(), 1U);
}

TEST_F(HubUpkeep, TakesNoVersionWhoseContentIsGone) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  ferry.play(kGame, progress(2));
  synced(den);
  EXPECT_EQ(synced(ferry).conflicts.size(), 1U);
  den.lose(kGame);
  std::filesystem::remove_all(world_ / "hub/objects");
  std::filesystem::create_directory(world_ / "hub/objects");
  SyncRequest take;
  take.take = kGame;
  take.take_from = "den";
  const auto refused = ferry.sync(take);
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Code::hub_damaged);
  EXPECT_EQ(ferry.save(kGame), progress(2));
}

TEST_F(HubUpkeep, WatchSeesAPlaceThatComesBack) {
  const Device& den = device("den", 0);
  const Path place = den.home() / "place";
  const Path away = den.home() / "away";
  den.play(kGame, progress(1));
  std::filesystem::rename(place, away);
  std::atomic<bool> failed = false;
  std::atomic<int> published = 0;
  std::atomic<bool> stop = false;
  std::thread watching([&] {
    Session session = den.open();
    WatchRequest request;
    request.quiet = std::chrono::milliseconds(50);
    request.go_on = [&] { return !stop; };
    request.tell = [&](const WatchEvent& event) {
      failed = failed || event.what == WatchEvent::What::failed;
      published += static_cast<int>(event.report.published.size());
    };
    EXPECT_TRUE(watch(session, request));
  });
  const auto wait_for = [](const auto& done) {
    for (int i = 0; i < 1200 && !done(); ++i)
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    EXPECT_TRUE(done());
  };
  wait_for([&] { return failed.load(); });
  std::filesystem::rename(away, place);
  wait_for([&] { return published == 1; });
  den.play(kGame, progress(2));
  wait_for([&] { return published == 2; });
  stop = true;
  watching.join();
}

}  // namespace
}  // namespace bayswap
