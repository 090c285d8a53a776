// Random schedules: devices that play, sync, lose their saves, are cut off from the hub or from
// power, come back from an old backup, or join a second time. Nothing that a sync saw is ever lost,
// and when all have synced twice, all hold the same, or show why not.
#include <set>

#include "core/sync/save_version.h"
#include "files/version_digest.h"
#include "history/history.h"
#include "support/card_zoo.h"
#include "support/failing_storage.h"
#include "support/rounds.h"
#include "sync/devices.h"
#include "sync/joined_hub.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

using test::Device;
using test::FailingStorage;

// A listing of the hub that lacks what came last.
class StaleStorage final : public FailingStorage {
 public:
  StaleStorage(Path folder, std::size_t lacks)
      : FailingStorage(0, Fault::error), folder_(std::move(folder)), lacks_(lacks) {}
  Result<std::vector<std::string>> list(const Path& folder) override {
    auto names = FailingStorage::list(folder);
    if (names && folder == folder_) names->resize(names->size() - std::min(lacks_, names->size()));
    return names;
  }

 private:
  Path folder_;
  std::size_t lacks_;
};

class Schedule {
 public:
  explicit Schedule(std::uint32_t seed) : numbers_(seed) {
    std::filesystem::create_directory(world_ / "hub");
    const std::size_t count = 2 + numbers_() % 4;
    for (std::size_t i = 0; i < count; ++i) {
      devices_.push_back(std::make_unique<Device>(world_, "device" + std::to_string(i),
                                                  test::habits()[numbers_() % 3]));
      join(*devices_.back());
    }
  }

  void run() {
    const std::size_t steps = 6 + numbers_() % 12;
    for (std::size_t i = 0; i < steps && !::testing::Test::HasFailure(); ++i) step();
    for (int round = 0; round < 2; ++round)
      for (const auto& device : devices_) sync(*device, disk(), true);
    check_alike();
    for (const Bytes& content : seen_) EXPECT_TRUE(is_kept(content)) << "a save is lost";
  }

 private:
  // One hub in four is sealed.
  void join(const Device& device) {
    Session session = device.open();
    session.ask_words = [&] { return words_; };
    const auto joined =
        join_hub(session, (world_ / "hub").string(), device.name(), sealed_ && !words_);
    ASSERT_TRUE(joined) << joined.error().text;
    if (joined->words) words_ = joined->words;
  }
  Device& any() { return *devices_[numbers_() % devices_.size()]; }
  const std::string& game() { return test::games()[numbers_() % 2]; }

  void step() {
    Device& device = any();
    switch (numbers_() % 16) {
      case 0:
      case 1:
      case 2:
      case 3:
      case 4: return play(device, game());
      case 5: return device.lose(game());
      case 6: return device.play(game(), Bytes(0x2000, std::byte{0xFF}));
      case 7: return cut_power(device);
      case 8: return without_hub(device);
      case 9: return back_up_or_restore(device);
      case 10: return join_again(device);
      case 11: {
        StaleStorage stale(world_ / "hub/journal", 1 + numbers_() % 3);
        return sync(device, stale, true);
      }
      default: return sync(device, disk(), true);
    }
  }

  // Clocks are off by up to a year.
  void play(const Device& device, const std::string& game) {
    Bytes content = test::random_bytes(0x2000, ++contents_);
    std::fill(content.begin() + 0x1C00, content.end(), std::byte{0xFF});
    device.play(game, content, 1 + static_cast<int>(numbers_() % 400));
  }

  void sync(const Device& device, Storage& storage, bool must_work) {
    std::map<std::string, Bytes> before;
    for (const std::string& game : test::games())
      if (device.has(game)) before[game] = device.save(game);
    Session session = device.open(storage);
    const auto report = bayswap::sync(session, {});
    if (must_work) {
      EXPECT_TRUE(report) << report.error().text;
      for (const SyncItem& item : report ? report->held : std::vector<SyncItem>{})
        EXPECT_TRUE(item.reason);
    }
    for (const auto& [game, content] : before) {
      const bool blank = content == Bytes(0x2000, std::byte{0xFF});
      const bool stays = device.has(game) && device.save(game) == content;
      EXPECT_TRUE(stays || blank || is_kept(content)) << "what was replaced is lost";
      if (report && !blank) seen_.insert(content);
    }
    if (report) last_[device.name()] = *report;
  }

  void cut_power(const Device& device) {
    constexpr std::size_t kMost = 60;
    FailingStorage failing(1 + numbers_() % kMost, FailingStorage::Fault::power_loss);
    sync(device, failing, false);
  }

  void without_hub(const Device& device) {
    std::filesystem::rename(world_ / "hub", world_ / "away");
    sync(device, disk(), false);
    std::filesystem::rename(world_ / "away", world_ / "hub");
  }

  void back_up_or_restore(const Device& device) {
    const Path backup = world_ / ("backup of " + device.name());
    if (!std::filesystem::exists(backup)) {
      std::filesystem::copy(device.home(), backup, std::filesystem::copy_options::recursive);
      return;
    }
    // What was never synced goes with the old disk; its history too.
    for (const std::string& game : test::games())
      if (device.has(game) && !is_on_hub(device.save(game))) seen_.erase(device.save(game));
    std::filesystem::remove_all(device.home());
    std::filesystem::copy(backup, device.home(), std::filesystem::copy_options::recursive);
  }

  void join_again(const Device& device) {
    Session session = device.open();
    const auto left = leave_hub(session);
    EXPECT_TRUE(left) << left.error().text;
    device.join();
  }

  // When everybody has synced: the same everywhere, or everybody sees why not.
  void check_alike() {
    for (const std::string& game : test::games()) {
      std::set<Bytes> contents;
      bool shown = false;
      for (const auto& device : devices_) {
        const SyncReport& report = last_[device->name()];
        const auto is_shown = [&](const std::vector<SyncItem>& items) {
          return std::ranges::any_of(items,
                                     [&](const SyncItem& item) { return item.game.title == game; });
        };
        const bool here = is_shown(report.conflicts) || is_shown(report.held);
        shown = shown || here;
        if (device->has(game) && !here) contents.insert(device->save(game));
      }
      EXPECT_TRUE(contents.size() <= 1 || shown) << game << " differs in silence";
    }
  }

  bool is_on_hub(const Bytes& content) {
    Save save;
    save.parts.push_back({"sram", content, false});
    const Digest wanted = progress_of(save);
    // With the eyes of a device that has just come.
    Device looker(world_, "looker" + std::to_string(++lookers_), test::habits()[0]);
    join(looker);
    Session session = looker.open();
    auto joined = JoinedHub::open(session, hub_state(session));
    EXPECT_TRUE(joined) << joined.error().text;
    std::filesystem::remove_all(looker.home());
    return joined &&
           std::ranges::any_of(joined->graph().versions(), [&](const SaveVersion& version) {
             return version.progress == wanted && content_of(joined->hub(), version);
           });
  }

  bool is_kept(const Bytes& content) {
    for (const auto& device : devices_) {
      for (const std::string& game : test::games())
        if (device->has(game) && device->save(game) == content) return true;
      const auto history = History::open_to_read(disk(), device->home() / "data/history.db");
      if (history && *history && (*history)->size_of(version_digest(content))) return true;
    }
    return is_on_hub(content);
  }

  test::Numbers numbers_;
  const bool sealed_ = numbers_() % 4 == 0;
  std::optional<std::string> words_;
  test::TempFolder world_;
  std::vector<std::unique_ptr<Device>> devices_;
  std::set<Bytes> seen_;  // by a sync that ended
  std::map<std::string, SyncReport> last_;
  std::uint32_t contents_ = 0;
  int lookers_ = 0;
};

TEST(SyncSchedules, NothingIsLostAndAllAgreeOrSayWhyNot) {
  const int rounds = test::rounds(800, 8);
  for (int i = 0; i < rounds; ++i) {
    SCOPED_TRACE("schedule " + std::to_string(i));
    Schedule(static_cast<std::uint32_t>(i)).run();
    if (::testing::Test::HasFailure()) return;
  }
}

}  // namespace
}  // namespace bayswap
