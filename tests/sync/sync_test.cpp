// Devices around a hub: what is newer goes everywhere, in each device's own names; bad saves do
// not, and nobody settles a conflict but the user.
#include <chrono>
#include <functional>
#include <thread>
#include <utility>

#include "files/version_digest.h"
#include "history/history.h"
#include "hub/folder_store.h"
#include "hub/hub.h"
#include "support/failing_storage.h"
#include "sync/devices.h"
#include "sync/joined_hub.h"

namespace bayswap {
namespace {

using test::Device;
using test::kGame;
using test::SyncTest;

TEST_F(SyncTest, NewerProgressGoesEverywhere) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  Device& attic = device("attic", 2);
  den.play(kGame, progress(1));
  const SyncReport first = synced(den);
  ASSERT_EQ(first.published.size(), 1U);
  EXPECT_EQ(first.published[0].game.title, kGame);
  EXPECT_EQ(first.in_step, 1U);
  const SyncReport second = synced(ferry);
  ASSERT_EQ(second.carried.size(), 1U);
  EXPECT_EQ(second.carried[0].device, "den");
  EXPECT_EQ(ferry.save(kGame), progress(1));
  synced(attic);
  EXPECT_EQ(attic.save(kGame), progress(1));
  attic.play(kGame, progress(2));
  EXPECT_EQ(synced(attic).published.size(), 1U);
  EXPECT_EQ(synced(den).carried.size(), 1U);
  EXPECT_EQ(den.save(kGame), progress(2));
  EXPECT_EQ(synced(ferry).carried.size(), 1U);
  // Nothing is left to do, and nothing is done.
  for (const Device* one : {&den, &ferry, &attic}) {
    const SyncReport quiet = synced(*one);
    EXPECT_TRUE(quiet.published.empty() && quiet.carried.empty() && quiet.conflicts.empty());
    EXPECT_EQ(quiet.in_step, 1U);
  }
}

TEST_F(SyncTest, APlanWritesNothing) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  SyncRequest plan;
  plan.plan = true;
  const auto before = test::snapshot(world_.path());
  EXPECT_EQ(synced(den, plan).published.size(), 1U);
  EXPECT_EQ(test::snapshot(world_.path()), before);
  synced(den);
  const SyncReport planned = synced(ferry, plan);
  EXPECT_EQ(planned.carried.size(), 1U);
  EXPECT_FALSE(ferry.has(kGame));
}

TEST_F(SyncTest, AConflictIsShownAndSettledByHand) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  synced(den);
  synced(ferry);
  den.play(kGame, progress(2));
  ferry.play(kGame, progress(3));
  synced(den);
  for (int i = 0; i < 3; ++i)
    for (const Device* one : {&ferry, &den}) {
      const SyncReport report = synced(*one);
      ASSERT_EQ(report.conflicts.size(), 1U);
      ASSERT_EQ(report.conflicts[0].sides.size(), 2U);
      EXPECT_TRUE(report.needs_somebody());
    }
  EXPECT_EQ(den.save(kGame), progress(2));
  EXPECT_EQ(ferry.save(kGame), progress(3));
  SyncRequest take;
  take.take = "kite harbour";
  EXPECT_EQ(den.sync(take).error().code, Code::many_match);
  take.take_from = "nobody";
  EXPECT_EQ(den.sync(take).error().code, Code::no_match);
  take.take_from = "ferry:ferry";
  const SyncReport settled = synced(den, take);
  EXPECT_EQ(settled.settled.size(), 1U);
  EXPECT_TRUE(settled.conflicts.empty());
  EXPECT_EQ(den.save(kGame), progress(3));
  EXPECT_TRUE(synced(ferry).conflicts.empty());
  // What was not taken is in history, and undo brings it back, to everybody.
  Session session = den.open();
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(den.save(kGame), progress(2));
  EXPECT_EQ(synced(den).published.size(), 1U);
  EXPECT_EQ(synced(ferry).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(2));
}

TEST_F(SyncTest, TheSameProgressIsNoConflict) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  ferry.play(kGame, progress(1));
  synced(den);
  const SyncReport same = synced(ferry);
  EXPECT_TRUE(same.conflicts.empty() && same.published.empty());
  EXPECT_EQ(same.in_step, 1U);
  // Two who never met have different progress: nobody knows which is newer.
  den.play("TIDE TABLE", progress(2));
  ferry.play("TIDE TABLE", progress(3));
  synced(den);
  EXPECT_EQ(synced(ferry).conflicts.size(), 1U);
}

TEST_F(SyncTest, BadSavesDoNotSpread) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  synced(den);
  synced(ferry);
  const auto held = [&](const Bytes& content) {
    den.play(kGame, content);
    const SyncReport report = synced(den);
    EXPECT_TRUE(report.published.empty());
    EXPECT_EQ(den.save(kGame), content) << "it is not replaced either";
    EXPECT_TRUE(synced(ferry).carried.empty());
    EXPECT_EQ(ferry.save(kGame), progress(1));
    return report.held.empty() ? Code::unknown : report.held[0].reason->code;
  };
  EXPECT_EQ(held(Bytes(0x2000, std::byte{0xFF})), Code::blank_source);
  Bytes little(0x2000, std::byte{0xFF});
  test::put(little, 0x100, test::random_bytes(900, 5));
  EXPECT_EQ(held(little), Code::much_smaller);
  // What the program makes after that is no newer version of what was there.
  den.play(kGame, progress(4));
  EXPECT_EQ(synced(den).conflicts.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(1));
}

TEST_F(SyncTest, AHeldSaveGoesOutWhenItIsAccepted) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  synced(den);
  synced(ferry);
  Bytes little(0x2000, std::byte{0xFF});
  test::put(little, 0x100, test::random_bytes(900, 5));
  den.play(kGame, little);
  EXPECT_EQ(synced(den).held.size(), 1U);
  SyncRequest accept;
  accept.accept = {Code::much_smaller};
  EXPECT_EQ(synced(den, accept).published.size(), 1U);
  EXPECT_EQ(synced(ferry).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), little);
}

TEST_F(SyncTest, ADeletedFileIsNotADeletedSave) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  for (const std::string& game : test::games()) den.play(game, progress(1));
  synced(den);
  synced(ferry);
  for (const std::string& game : test::games()) ferry.lose(game);
  for (int i = 0; i < 2; ++i) {
    const SyncReport report = synced(ferry);
    EXPECT_EQ(report.missing.size(), 3U);
    EXPECT_TRUE(report.carried.empty());
  }
  EXPECT_EQ(synced(den).in_step, 3U);
  SyncRequest bring;
  bring.bring = "Kite Harbour";
  EXPECT_EQ(synced(ferry, bring).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(1));
  SyncRequest forget;
  forget.forget = "tide table";
  EXPECT_EQ(synced(ferry, forget).missing.size(), 1U);
  EXPECT_EQ(synced(ferry).missing.size(), 1U);
  forget.forget = "nothing such";
  EXPECT_EQ(ferry.sync(forget).error().code, Code::no_match);
}

// Once nothing is left to do no save is read; every change is seen all the same.
TEST_F(SyncTest, WhatChangesAfterAQuietSyncIsSeen) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  Device& attic = device("attic", 2);
  Device& porch = device("porch", 0);
  for (const Device* one : {&den, &ferry, &attic, &porch})
    for (const std::string& game : test::games()) one->play(game, progress(1));
  synced(ferry);
  // Files that changed just now may change again unseen: they are read until they are older.
  std::this_thread::sleep_for(std::chrono::milliseconds(2100));
  for (const Device* one : {&den, &attic, &porch}) synced(*one);
  class Counting final : public test::FailingStorage {
   public:
    Counting() : FailingStorage(0, Fault::error) {}
    Result<FileView> view(const Path& path, std::uint64_t limit) override {
      saves += path.extension() == ".sav" ? 1 : 0;
      return FailingStorage::view(path, limit);
    }
    int saves = 0;
  } counting;
  const auto quiet = den.sync({}, counting);
  ASSERT_TRUE(quiet) << quiet.error().text;
  EXPECT_EQ(quiet->in_step, 3U);
  EXPECT_EQ(counting.saves, 0);
  // The same size and the same time: the system knows that it changed.
  const auto time = std::filesystem::last_write_time(den.save_path(kGame));
  den.play(kGame, progress(2));
  std::filesystem::last_write_time(den.save_path(kGame), time);
  const auto seen = den.sync({}, counting);
  ASSERT_TRUE(seen) << seen.error().text;
  EXPECT_EQ(seen->published.size(), 1U);
  EXPECT_GT(counting.saves, 0);
  // What another device made known is seen.
  ferry.play("TIDE TABLE", progress(3));
  synced(ferry);
  EXPECT_EQ(synced(den).carried.size(), 1U);
  EXPECT_EQ(den.save("TIDE TABLE"), progress(3));
  // A plan has fetched what is new, and done nothing with it.
  SyncRequest plan;
  plan.plan = true;
  for (int i = 0; i < 2; ++i) EXPECT_EQ(synced(attic, plan).carried.size(), 2U);
  EXPECT_EQ(synced(attic).carried.size(), 2U);
  EXPECT_EQ(attic.save("TIDE TABLE"), progress(3));
  // So has a look at the hub.
  Session session = porch.open();
  ASSERT_TRUE(show_hub(session));
  EXPECT_EQ(synced(porch).carried.size(), 2U);
}

// A shelf that is described later has saves that no file of the place tells of.
TEST_F(SyncTest, AShelfDescribedAfterAQuietSyncIsSeen) {
  Device& den = device("den", 0);
  den.play(kGame, progress(1));
  world_.write("den/place/more/TIDE TABLE.srm", progress(2), 10);
  world_.write("den/place/more/TIDE TABLE.gb", demo::gb_rom("TIDE TABLE", 0x03, 2), 400);
  std::this_thread::sleep_for(std::chrono::milliseconds(2100));
  EXPECT_EQ(synced(den).published.size(), 1U);
  Session before = den.open();  // as of a program that runs on
  EXPECT_EQ(synced(den).in_step, 1U);
  Bytes bays = test::read(world_ / "den/config/bays.toml");
  const std::string more =
      "[[bay.den.shelf]]\nsystem = \"gb\"\nkind = \"battery\"\npattern = \"more/{stem}.srm\"\n"
      "layout = [\"gb-battery\"]\nroms = \"more\"\n";
  std::ranges::copy(as_bytes(more), std::back_inserter(bays));
  world_.write("den/config/bays.toml", bays, 10);
  const auto still = sync(before, {});
  ASSERT_TRUE(still) << still.error().text;
  EXPECT_EQ(still->in_step, 1U);
  EXPECT_EQ(synced(den).published.size(), 1U);
}

// A changed game has the original's name in its header: their saves never go over each other.
TEST_F(SyncTest, GamesThatNothingTellsApartStayApart) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 0);
  for (const Device* one : {&den, &ferry})
    for (const char* name : {"KITE HARBOUR", "KITE HARBOUR (Hack)"})
      world_.write(one->name() + "/place/roms/" + name + ".gb", demo::gb_rom(kGame, 0x03, 2), 400);
  const std::string hack = "/place/roms/KITE HARBOUR (Hack).sav";
  den.play(kGame, progress(1));
  world_.write("den" + hack, progress(2), 10);
  EXPECT_EQ(synced(den).published.size(), 2U);
  EXPECT_TRUE(synced(den).conflicts.empty());
  ferry.play(kGame, progress(1));
  world_.write("ferry" + hack, progress(2), 10);
  EXPECT_EQ(synced(ferry).in_step, 2U);
  world_.write("den" + hack, progress(3), 5);
  synced(den);
  synced(ferry);
  EXPECT_EQ(ferry.save(kGame), progress(1));
  EXPECT_EQ(test::read(world_ / ("ferry" + hack)), progress(3));
}

// A stick that is out is no stick whose saves were deleted.
TEST_F(SyncTest, AnEmptyMountPointIsNotTakenForTheBay) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  for (const std::string& game : test::games()) den.play(game, progress(1));
  synced(den);
  synced(ferry);
  std::filesystem::rename(ferry.home() / "place", world_ / "out");
  for (const bool mount_point : {false, true}) {
    if (mount_point) std::filesystem::create_directory(ferry.home() / "place");
    const SyncReport report = synced(ferry);
    ASSERT_TRUE(report.failed);
    EXPECT_EQ(report.failed->code, Code::place_failed);
    EXPECT_TRUE(report.missing.empty() && report.carried.empty());
  }
  EXPECT_TRUE(std::filesystem::is_empty(ferry.home() / "place"));
  std::filesystem::remove(ferry.home() / "place");
  std::filesystem::rename(world_ / "out", ferry.home() / "place");
  ferry.play(kGame, progress(2));
  EXPECT_EQ(synced(ferry).published.size(), 1U);
  EXPECT_EQ(synced(den).carried.size(), 1U) << "it follows what was there before the stick was out";
}

// Somebody plays while a sync is at work: what the sync has not seen is not replaced.
TEST_F(SyncTest, ASaveThatChangesMeanwhileIsLeft) {
  class Late final : public test::FailingStorage {
   public:
    explicit Late(std::function<void()> then)
        : FailingStorage(0, Fault::error), then_(std::move(then)) {}
    Result<void> rename_new(const Path& from, const Path& to) override {
      if (then_) std::exchange(then_, nullptr)();
      return FailingStorage::rename_new(from, to);
    }

   private:
    std::function<void()> then_;
  };
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  for (const std::string& game : test::games()) den.play(game, progress(1));
  synced(den);
  synced(ferry);
  ferry.play("TIDE TABLE", progress(2));
  synced(ferry);
  den.play(kGame, progress(3));
  Late late([&] { den.play("TIDE TABLE", progress(4)); });
  const auto report = den.sync({}, late);
  ASSERT_TRUE(report) << report.error().text;
  EXPECT_EQ(report->published.size(), 1U);
  ASSERT_EQ(report->held.size(), 1U);
  EXPECT_EQ(report->held[0].reason->code, Code::in_use);
  EXPECT_EQ(den.save("TIDE TABLE"), progress(4));
  EXPECT_EQ(synced(den).conflicts.size(), 1U);
}

// A blank save that a program made when it was begun is as good as none.
TEST_F(SyncTest, NewerProgressGoesOverABlankSaveThatNeverWasInStep) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  ferry.play(kGame, Bytes(0x2000, std::byte{0xFF}));
  EXPECT_TRUE(synced(ferry).held.empty());
  synced(den);
  EXPECT_EQ(synced(ferry).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(1));
}

TEST_F(SyncTest, TheHubHasToBeTheOneThatWasJoined) {
  Device& den = device("den", 0);
  den.play(kGame, progress(1));
  synced(den);
  std::filesystem::rename(world_ / "hub", world_ / "away");
  EXPECT_EQ(den.sync().error().code, Code::hub_failed);
  std::filesystem::create_directory(world_ / "hub");
  EXPECT_EQ(den.sync().error().code, Code::hub_differs);
  EXPECT_TRUE(std::filesystem::is_empty(world_ / "hub"));
  std::filesystem::remove(world_ / "hub");
  std::filesystem::create_directory(world_ / "other");
  Device other(world_, "others", test::habits()[0]);
  Session session = other.open();
  EXPECT_FALSE(join_hub(session, (world_ / "den").string(), "x")) << "a folder of other files";
  ASSERT_TRUE(join_hub(session, (world_ / "other").string(), "x"));
  std::filesystem::rename(world_ / "other", world_ / "hub");
  EXPECT_EQ(den.sync().error().code, Code::hub_differs);
  std::filesystem::remove_all(world_ / "hub");
  std::filesystem::rename(world_ / "away", world_ / "hub");
  EXPECT_EQ(synced(den).in_step, 1U);
}

// Settings that were copied or brought back must not write over another's journal.
TEST_F(SyncTest, ACopiedDeviceBecomesANewOne) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  synced(den);
  std::filesystem::copy(den.home() / "data", world_ / "backup",
                        std::filesystem::copy_options::recursive);
  den.play(kGame, progress(2));
  synced(den);
  synced(ferry);
  // The old settings are back, and the save of then: it is behind.
  std::filesystem::remove_all(den.home() / "data");
  std::filesystem::rename(world_ / "backup", den.home() / "data");
  den.play(kGame, progress(1));
  const SyncReport back = synced(den);
  EXPECT_EQ(back.notes.size(), 1U);
  EXPECT_EQ(back.carried.size(), 1U);
  EXPECT_EQ(den.save(kGame), progress(2));
  den.play(kGame, progress(3));
  EXPECT_EQ(synced(den).published.size(), 1U);
  EXPECT_EQ(synced(ferry).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(3));
}

TEST_F(SyncTest, DamageOnTheHubIsSaidAndLosesNothing) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  den.play(kGame, progress(1));
  synced(den);
  for (const auto& entry :
       std::filesystem::recursive_directory_iterator(world_ / "hub" / "objects")) {
    if (!entry.is_regular_file()) continue;
    Bytes bytes = test::read(entry.path());
    bytes[bytes.size() / 2] ^= std::byte{1};
    world_.write(entry.path().lexically_relative(world_.path()).string(), bytes);
  }
  const SyncReport damaged = synced(ferry);
  EXPECT_TRUE(damaged.damaged);
  EXPECT_EQ(damaged.held.size(), 1U);
  EXPECT_FALSE(ferry.has(kGame));
  Session session = den.open();
  const auto checked = check_hub(session);
  ASSERT_TRUE(checked);
  EXPECT_EQ(checked->damaged.size(), 1U);
  // Who still has it uploads it again.
  EXPECT_TRUE(synced(den).held.empty());
  EXPECT_EQ(synced(ferry).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(1));
}

TEST_F(SyncTest, PlacesOfOneMachineNeedNoHub) {
  Device den(world_, "den", test::habits()[0]);
  const Device ferry(world_, "ferry", test::habits()[1]);
  const std::string bays = test::text_of(den.home() / "config/bays.toml") +
                           test::text_of(ferry.home() / "config/bays.toml");
  world_.write("den/config/bays.toml", bays);
  den.play(kGame, progress(1));
  EXPECT_EQ(den.sync().error().code, Code::usage);
  SyncRequest both;
  both.bays = {"den", "ferry"};
  EXPECT_EQ(synced(den, both).carried.size(), 1U);
  EXPECT_EQ(ferry.save(kGame), progress(1));
  ferry.play(kGame, progress(2));
  EXPECT_EQ(synced(den, both).carried.size(), 1U);
  EXPECT_EQ(den.save(kGame), progress(2));
  // A sync is one command: undo takes back what it did in all places.
  const Device attic(world_, "attic", test::habits()[2]);
  world_.write("den/config/bays.toml", bays + test::text_of(attic.home() / "config/bays.toml"));
  both.bays = {"den", "ferry", "attic"};
  den.play(kGame, progress(3));
  EXPECT_EQ(synced(den, both).carried.size(), 2U);
  Session session = den.open();
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(ferry.save(kGame), progress(2));
  EXPECT_FALSE(attic.has(kGame));
  both.bays = {"den", "nowhere"};
  EXPECT_EQ(den.sync(both).error().code, Code::unknown_bay);
}

TEST_F(SyncTest, OldVersionsAreLetGo) {
  Device& den = device("den", 0);
  Device& ferry = device("ferry", 1);
  for (std::uint32_t i = 0; i < 6; ++i) {
    den.play(kGame, progress(i), 40 - static_cast<int>(i));
    synced(den);
  }
  synced(ferry);
  Session session = den.open();
  const auto planned = tidy_hub(session, 2, 1, true);
  ASSERT_TRUE(planned) << planned.error().text;
  EXPECT_EQ(planned->versions, 4U);
  const auto tidied = tidy_hub(session, 2, 1, false);
  ASSERT_TRUE(tidied) << tidied.error().text;
  EXPECT_EQ(tidied->versions, 4U);
  EXPECT_EQ(tidied->objects, 4U);
  EXPECT_EQ(tidied->bytes, 4 * progress(0).size());
  EXPECT_EQ(tidy_hub(session, 2, 1, false)->versions, 0U);
  EXPECT_TRUE(check_hub(session)->damaged.empty());
  EXPECT_EQ(synced(ferry).in_step, 1U);
  // What was let go is put there again when something else holds just that.
  den.play("TIDE TABLE", progress(0));
  den.play(kGame, progress(9));
  synced(den);
  synced(ferry);
  EXPECT_EQ(ferry.save(kGame), progress(9));
  EXPECT_EQ(ferry.save("TIDE TABLE"), progress(0));
}

// What a hostile hub says in journals that are sound: as a newer version of a save that lies here,
// and as a save that is asked for. Nothing crashes, nothing is written outside of the bay, and what
// is replaced is in history.
using Lie = std::function<void(SaveVersion&)>;

void expect_harmless(const Lie& lie) {
  const test::TempFolder world;
  std::filesystem::create_directory(world / "hub");
  const Device den(world, "den", test::habits()[0]);
  den.join();
  const Bytes own = test::random_bytes(0x2000, 1);
  const Bytes evil = test::random_bytes(0x2000, 2);
  den.play(kGame, own);
  ASSERT_TRUE(den.sync());
  const auto before = test::snapshot(world.path());
  auto hub = Hub::join(open_folder_store(disk(), world / "hub"));
  ASSERT_TRUE(hub);
  ASSERT_TRUE(hub->put_object(sha256(evil), evil));
  Session session = den.open();
  std::vector<SaveVersion> versions;
  {
    const auto joined = JoinedHub::open(session, hub_state(session));
    ASSERT_TRUE(joined);
    versions.assign(2, joined->graph().versions().front());
  }
  for (SaveVersion& version : versions) {
    version.parents = {std::exchange(version.id, "")};
    version.parts[0].pieces = {sha256(evil)};
    Save save;
    save.system = System::gb;
    save.parts.push_back({"sram", evil, false});
    version.progress = progress_of(save);
  }
  versions[1].parents.clear();
  versions[1].identity.game.title = versions[1].identity.stem = "EVIL";
  versions[1].identity.rom.clear();
  for (SaveVersion& version : versions) lie(version);
  JournalEntry entry;
  entry.device = "00000000000000ee";
  entry.device_name = "\x1B]0;evil\x07";
  entry.versions = versions;
  const Bytes bytes = entry_bytes(entry);
  ASSERT_TRUE(hub->put_entry(entry, bytes));
  SyncRequest bring;
  bring.bring = "EVIL";
  for (const SyncRequest& request : {SyncRequest{}, bring}) (void)bayswap::sync(session, request);
  const auto history = History::open_to_read(disk(), den.home() / "data/history.db");
  EXPECT_TRUE(den.save(kGame) == own ||
              (history && *history && (*history)->size_of(version_digest(own))));
  for (const auto& [path, content] : test::snapshot(world.path())) {
    const bool ours =
        path.starts_with("den/data") || path.starts_with("den/place") || path.starts_with("hub");
    EXPECT_TRUE(ours || (before.contains(path) && before.at(path) == content)) << path;
  }
  EXPECT_FALSE(std::filesystem::exists("/tmp/evil"));
}

TEST(HostileHubs, WriteNothingOutside) {
  const std::vector<Lie> lies{
      [](SaveVersion&) {},
      [](SaveVersion& v) { v.parts[0].name = "../../../evil"; },
      [](SaveVersion& v) { v.parts[0].name = "/tmp/evil"; },
      [](SaveVersion& v) { v.identity.stem = "../../evil"; },
      [](SaveVersion& v) { v.identity.slot = "/../../evil", v.identity.kind = Kind::state; },
      [](SaveVersion& v) { v.identity.label = "../evil", v.identity.kind = Kind::card_save; },
      [](SaveVersion& v) { v.parts[0].size = ~0ULL; },
      [](SaveVersion& v) { v.parts.resize(3, v.parts[0]), v.parts[1].size = ~0ULL; },
      [](SaveVersion& v) { v.parts.clear(); },
      [](SaveVersion& v) { v.parts.clear(), v.identity.kind = Kind::state; },
      [](SaveVersion& v) { v.parts[0].pieces.assign(5000, v.parts[0].pieces[0]); },
      [](SaveVersion& v) { v.parts[0].name = "a/../../b", v.identity.kind = Kind::folder; },
      [](SaveVersion& v) { v.entry = v.parts[0].pieces[0], v.identity.kind = Kind::card_save; },
      [](SaveVersion& v) { v.layout = "no-such-layout"; },
      [](SaveVersion& v) { v.progress[0] ^= std::byte{1}; },
      [](SaveVersion& v) { v.identity.game.title_id = "../x", v.identity.kind = Kind::folder; },
      [](SaveVersion& v) { v.comment = "\x1B[2J", v.bay = "\x1B[31m"; },
      [](SaveVersion& v) { v.identity.system = System::ps1; },
      [](SaveVersion& v) { v.parts[0].name = "eeprom"; }};
  for (std::size_t i = 0; i < lies.size(); ++i) {
    SCOPED_TRACE("lie " + std::to_string(i));
    expect_harmless(lies[i]);
  }
}

}  // namespace
}  // namespace bayswap
