// A folder's stamp holds as long as nothing changed, and not a moment longer.
#include "storage/tree_stamp.h"

#include <gtest/gtest.h>

#include <functional>
#include <thread>

#include "bays/walk.h"
#include "storage/clock.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

class Stamps : public testing::Test {
 protected:
  void SetUp() override {
    for (int i = 0; i < 30; ++i)
      folder_.write("shelf " + std::to_string(i % 3) + "/box/" + std::to_string(i) + ".sav",
                    test::random_bytes(100, static_cast<std::uint32_t>(i)));
    std::filesystem::create_directories(folder_ / "empty");
    std::filesystem::create_symlink("nowhere", folder_ / "link");
    settle();
  }
  // Changes that are too young to be told apart make no stamp.
  static void settle() { std::this_thread::sleep_for(std::chrono::milliseconds(40)); }

  test::TempFolder folder_;
};

TEST_F(Stamps, HoldWhileNothingChanges) {
  const Bytes stamp = stamp_of_tree(folder_.path(), now_ns(), false);
  ASSERT_FALSE(stamp.empty());
  EXPECT_TRUE(tree_is_as(folder_.path(), stamp));
  EXPECT_EQ(stamp_of_tree(folder_.path(), now_ns(), false), stamp);
}

// The tool's own storage notes what it lists while it reads.
TEST_F(Stamps, FoldersThatWereListedAreNotListedAgain) {
  Storage& storage = disk();
  storage.note_entries();
  ASSERT_EQ(files_below(storage, folder_.path()).size(), 30U);
  const Bytes stamp = storage.stamp(folder_.path(), now_ns());
  EXPECT_EQ(stamp, stamp_of_tree(folder_.path(), now_ns(), false));
  folder_.write("shelf 1/box/4.sav", test::random_bytes(100, 99));
  settle();
  EXPECT_EQ(storage.stamp(folder_.path(), now_ns()), stamp) << "as it was when it was listed";
  EXPECT_FALSE(storage.is_as(folder_.path(), stamp));
  folder_.write("shelf 1/box/new.sav", Bytes(3));
  settle();
  EXPECT_TRUE(storage.is_as(folder_.path(), storage.stamp(folder_.path(), now_ns())))
      << "a folder that changed is listed anew";
  std::filesystem::last_write_time(folder_ / "shelf 0/box",
                                   std::filesystem::file_time_type::clock::now());
  EXPECT_TRUE(storage.stamp(folder_.path(), now_ns()).empty()) << "too young";
}

TEST_F(Stamps, OfAFolderOfManyFilesHoldToo) {
  for (int i = 0; i < 2100; ++i) folder_.write("flat/" + std::to_string(i), Bytes(1));
  for (const char* name : {"flat/0", "flat/2099", "shelf 0/box/0.sav"}) {
    settle();
    Bytes stamp = stamp_of_tree(folder_.path(), now_ns(), false);
    EXPECT_TRUE(tree_is_as(folder_.path(), stamp)) << name;
    folder_.write(name, Bytes(2));
    EXPECT_FALSE(tree_is_as(folder_.path(), stamp)) << name;
    settle();
    stamp = stamp_of_tree(folder_.path(), now_ns(), false);
    EXPECT_TRUE(tree_is_as(folder_.path(), stamp)) << name;
    std::filesystem::remove(folder_ / name);
    EXPECT_FALSE(tree_is_as(folder_.path(), stamp)) << name;
    folder_.write(name, Bytes(2));
    EXPECT_FALSE(tree_is_as(folder_.path(), stamp)) << name << ": made anew";
  }
}

TEST_F(Stamps, EveryChangeShows) {
  const Path file = folder_ / "shelf 1/box/4.sav";
  const std::vector<std::pair<const char*, std::function<void()>>> changes{
      {"other bytes of the same length",
       [&] { folder_.write("shelf 1/box/4.sav", test::random_bytes(100, 99)); }},
      {"another length", [&] { std::filesystem::resize_file(file, 99); }},
      {"an older time",
       [&] {
         std::filesystem::last_write_time(
             file, std::filesystem::file_time_type::clock::now() - std::chrono::hours(5));
       }},
      {"other rights",
       [&] { std::filesystem::permissions(file, std::filesystem::perms::owner_read); }},
      {"a new file", [&] { folder_.write("shelf 2/box/new.sav", Bytes(3)); }},
      {"a new folder", [&] { std::filesystem::create_directory(folder_ / "empty/inner"); }},
      {"another name", [&] { std::filesystem::rename(file, folder_ / "shelf 1/box/five.sav"); }},
      {"one less", [&] { std::filesystem::remove(folder_ / "shelf 0/box/0.sav"); }},
      {"a folder less", [&] { std::filesystem::remove_all(folder_ / "shelf 2"); }},
      {"a link elsewhere", [&] {
         std::filesystem::remove(folder_ / "link");
         std::filesystem::create_symlink("somewhere", folder_ / "link");
       }}};
  for (const auto& [what, change] : changes) {
    settle();
    const Bytes stamp = stamp_of_tree(folder_.path(), now_ns(), false);
    ASSERT_FALSE(stamp.empty()) << what;
    change();
    EXPECT_FALSE(tree_is_as(folder_.path(), stamp)) << what;
  }
  EXPECT_FALSE(
      tree_is_as(folder_ / "nowhere", stamp_of_tree(folder_ / "shelf 0", now_ns(), false)));
}

TEST_F(Stamps, YoungChangesMakeNone) {
  folder_.write("young.sav", Bytes(3));
  EXPECT_TRUE(stamp_of_tree(folder_.path(), now_ns(), false).empty());
  settle();
  EXPECT_FALSE(stamp_of_tree(folder_.path(), now_ns(), false).empty());
  EXPECT_TRUE(stamp_of_tree(folder_.path(), now_ns(), true).empty())
      << "where clocks count in seconds";
  EXPECT_TRUE(stamp_of_tree(folder_ / "nowhere", now_ns(), false).empty());
}

TEST_F(Stamps, ASingleFileHasOneToo) {
  const Path file = folder_.write("alone.db", test::random_bytes(3000, 1));
  EXPECT_TRUE(stamp_of_tree(file, now_ns(), false).empty()) << "too young";
  std::this_thread::sleep_for(std::chrono::milliseconds(40));
  const Bytes stamp = stamp_of_tree(file, now_ns(), false);
  ASSERT_FALSE(stamp.empty());
  EXPECT_TRUE(tree_is_as(file, stamp));
  Bytes other = test::read(file);
  other[7] ^= std::byte{1};
  folder_.write("alone.db", other);
  EXPECT_FALSE(tree_is_as(file, stamp));
  std::filesystem::remove(file);
  EXPECT_FALSE(tree_is_as(file, stamp));
  EXPECT_TRUE(stamp_of_tree(file, now_ns(), false).empty());
  std::filesystem::create_directory(file);
  EXPECT_FALSE(tree_is_as(file, stamp)) << "a folder of that name is another thing";
}

// A stamp is taken while others read: what changes from its beginning on spoils it.
TEST_F(Stamps, AChangeSinceTheTimeThatIsGivenMakesNone) {
  std::this_thread::sleep_for(std::chrono::milliseconds(40));
  const std::int64_t begun = now_ns();
  EXPECT_FALSE(stamp_of_tree(folder_.path(), begun, false).empty());
  std::this_thread::sleep_for(std::chrono::milliseconds(5));
  folder_.write("shelf 0/new.srm", test::filled(10, 1));
  std::this_thread::sleep_for(std::chrono::milliseconds(60));
  EXPECT_TRUE(stamp_of_tree(folder_.path(), begun, false).empty());
  EXPECT_FALSE(stamp_of_tree(folder_.path(), now_ns(), false).empty()) << "known since";
}

TEST_F(Stamps, DamagedOnesDoNotHold) {
  const Bytes stamp = stamp_of_tree(folder_.path(), now_ns(), false);
  test::Numbers numbers(5);
  for (int round = 0; round < test::rounds(2000); ++round) {
    Bytes broken = stamp;
    if (numbers() % 2 == 0) broken.resize(numbers() % broken.size());
    for (unsigned flips = 1 + numbers() % 3; flips > 0 && !broken.empty(); --flips)
      broken[numbers() % broken.size()] ^= static_cast<std::byte>(1U << numbers() % 8);
    if (broken != stamp) {
      EXPECT_FALSE(tree_is_as(folder_.path(), broken));
    }
  }
}

TEST_F(Stamps, ManyFilesAreSharedByTwoThreads) {
  for (int i = 0; i < 2500; ++i)
    folder_.write("many " + std::to_string(i % 7) + "/" + std::to_string(i), Bytes(1));
  settle();
  const Bytes stamp = stamp_of_tree(folder_.path(), now_ns(), false);
  EXPECT_TRUE(tree_is_as(folder_.path(), stamp));
  folder_.write("many 3/3", Bytes(2));
  EXPECT_FALSE(tree_is_as(folder_.path(), stamp));
}

}  // namespace
}  // namespace bayswap
