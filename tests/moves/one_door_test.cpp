// The door: what may leave a place, what is kept on the way, and that there is no other way.
#include "moves/door.h"

#include <algorithm>
#include <fstream>

#include "built_paths.h"
#include "support/bytes.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::read;

class OneDoor : public testing::Test {
 protected:
  OneDoor() : history_(open()) {
    move_.id = 7;
    move_.time_ns = 1;
  }
  History open() {
    auto history = History::open(disk(), folder_ / "data/history.db");
    EXPECT_TRUE(history) << history.error().text;
    return std::move(*history);
  }
  [[nodiscard]] bool kept(const Bytes& bytes) const {
    const auto content = history_.content(version_digest(bytes));
    return content && *content == bytes;
  }

  test::TempFolder folder_;
  MoveRecord move_;
  History history_;
  const Bytes some_ = test::random_bytes(3000, 1);
};

TEST_F(OneDoor, WhatHistoryHoldsLeaves) {
  ASSERT_TRUE(history_.keep(some_));
  const Path file = folder_.write("file", some_);
  ASSERT_TRUE(Door(disk(), history_, move_).take_out(file));
  EXPECT_FALSE(std::filesystem::exists(file));
  EXPECT_TRUE(history_.past_moves()->empty()) << "nothing was found";
}

TEST_F(OneDoor, WhatNobodyKnowsIsKeptFirst) {
  const Path file = folder_.write("file", some_);
  ASSERT_TRUE(Door(disk(), history_, move_).take_out(file));
  EXPECT_FALSE(std::filesystem::exists(file));
  EXPECT_TRUE(kept(some_));
  const auto moves = history_.past_moves();
  ASSERT_EQ(moves->size(), 1U);
  EXPECT_EQ(moves->front().source, "found by m7");
  EXPECT_EQ(moves->front().steps.front().path, file.string());
}

TEST_F(OneDoor, WhatThisMoveStagedLeavesWithoutATrace) {
  const Path file = folder_.write("file", some_);
  Door door(disk(), history_, move_);
  door.know(version_digest(some_));
  ASSERT_TRUE(door.take_out(file));
  EXPECT_FALSE(std::filesystem::exists(file));
  EXPECT_FALSE(kept(some_));
}

TEST_F(OneDoor, WhatWasCutOffWhileItWasStagedIsNoFind) {
  ASSERT_TRUE(history_.keep(some_));
  Door door(disk(), history_, move_);
  door.know(version_digest(some_));
  for (const std::size_t length : {0U, 1U, 1500U, 2999U}) {
    const Path file = folder_.write("file", ByteView(some_).first(length));
    ASSERT_TRUE(door.take_out(file));
    EXPECT_FALSE(std::filesystem::exists(file));
  }
  EXPECT_TRUE(history_.past_moves()->empty());
  Bytes other(ByteView(some_).begin(), ByteView(some_).begin() + 1500);
  other[700] ^= std::byte{1};
  ASSERT_TRUE(door.take_out(folder_.write("file", other)));
  EXPECT_TRUE(kept(other)) << "a byte differs";
}

// A second name of a file that stays in place takes nothing away.
TEST_F(OneDoor, TwinsLeaveUnlessTheyAreTheLast) {
  const Path place = folder_.write("place/file", some_);
  std::filesystem::create_directory(folder_ / "aside");
  std::filesystem::create_hard_link(place, folder_ / "aside/file");
  Door door(disk(), history_, move_);
  door.call(folder_ / "aside", folder_ / "place");
  ASSERT_TRUE(door.take_out_tree(folder_ / "aside"));
  EXPECT_EQ(read(place), some_);
  EXPECT_FALSE(kept(some_));
  // Without its twin it is kept, under the name that it had in place.
  folder_.write("aside/file", some_);
  std::filesystem::remove(place);
  ASSERT_TRUE(door.take_out_tree(folder_ / "aside"));
  EXPECT_TRUE(kept(some_));
  EXPECT_EQ(history_.past_moves()->back().steps.front().path, place.string());
}

TEST_F(OneDoor, LinksAndDevicesStay) {
  std::filesystem::create_directories(folder_ / "aside/deep");
  folder_.write("aside/deep/file", some_);
  std::filesystem::create_symlink("nowhere", folder_ / "aside/deep/link");
  const auto outcome = Door(disk(), history_, move_).take_out_tree(folder_ / "aside");
  ASSERT_FALSE(outcome);
  EXPECT_EQ(outcome.error().code, Code::unexpected);
  EXPECT_TRUE(std::filesystem::is_symlink(folder_ / "aside/deep/link"));
  EXPECT_TRUE(kept(some_));
}

// Between the proof and the removal somebody writes.
class LateWriter final : public Storage {
 public:
  explicit LateWriter(Bytes late) : late_(std::move(late)) {}
  Result<FileInfo> info(const Path& path) override { return disk().info(path); }
  Result<FileView> view(const Path& path, std::uint64_t limit) override {
    return disk().view(path, limit);
  }
  Result<std::vector<std::string>> list(const Path& folder) override { return disk().list(folder); }
  Result<void> create(const Path& path, ByteView bytes, std::uint32_t mode) override {
    return disk().create(path, bytes, mode);
  }
  Result<void> rename(const Path& from, const Path& to) override { return disk().rename(from, to); }
  Result<void> remove(const Path& path) override { return disk().remove(path); }
  Result<void> make_folder(const Path& path) override { return disk().make_folder(path); }
  Result<void> remove_folder(const Path& path) override { return disk().remove_folder(path); }
  Result<void> set_modified(const Path& path, std::int64_t time) override {
    return disk().set_modified(path, time);
  }
  Result<void> flush_folder(const Path& path) override { return disk().flush_folder(path); }
  Result<std::unique_ptr<TakenOut>> take_out(const Path& file) override {
    std::ofstream(file, std::ios::binary | std::ios::trunc)
        .write(reinterpret_cast<const char*>(late_.data()),
               static_cast<std::streamsize>(late_.size()));
    return disk().take_out(file);
  }

 private:
  Bytes late_;
};

TEST_F(OneDoor, WhatIsWrittenAtTheLastMomentIsKept) {
  for (const std::size_t size : {3000U, 200'000U}) {
    const Bytes late = test::random_bytes(size, static_cast<std::uint32_t>(size));
    ASSERT_TRUE(history_.keep(some_));
    LateWriter storage(late);
    const Path file = folder_.write("file", some_);
    ASSERT_TRUE(Door(storage, history_, move_).take_out(file));
    EXPECT_FALSE(std::filesystem::exists(file));
    EXPECT_TRUE(kept(late)) << size;
  }
}

// No other code removes a user's file or lets one be renamed over.
TEST_F(OneDoor, NothingElseTakesBytesAway) {
  std::vector<std::string> takes{
      "unlink(",          "::rename(",   "filesystem::remove", "filesystem::rename",
      "filesystem::copy", "remove_all(", "truncate(",          "replace_own_file("};
  for (const std::string storage : {"storage", "storage_", "disk()", "inner_"})
    for (const std::string call : {"remove(", "rename(", "take_out("})
      for (const std::string by : {".", "->"}) takes.push_back(storage + by + call);
  const std::map<std::string, std::string> allowed{
      {"src/files/", "the port itself, and Bay Swap's own files"},
      {"src/moves/door.cpp", "the door"},
      {"src/moves/part_file.cpp", "what a dump has read so far, known by its first line"},
      {"src/hub/", "objects of a hub, which are never a user's files"},
      {"src/sync/local_state.cpp", "what is remembered of the hub"},
      {"src/history/history.cpp", "a damaged history is set aside"},
      {"src/places/bay_list.cpp", "bays.toml"},
      {"src/places/catalog_edit.cpp", "catalog.toml"}};
  std::size_t seen = 0;
  for (const std::string part : {"src", "cli", "include"})
    for (const auto& entry :
         std::filesystem::recursive_directory_iterator(Path(BAYSWAP_SOURCE) / part)) {
      if (!entry.is_regular_file()) continue;
      const std::string name = entry.path().lexically_relative(BAYSWAP_SOURCE).generic_string();
      std::istringstream lines(test::text_of(entry.path()));
      std::string line;
      for (int number = 1; std::getline(lines, line); ++number) {
        if (std::ranges::none_of(takes, [&](const std::string& word) {
              return line.find(word) != std::string::npos;
            }))
          continue;
        ++seen;
        const bool fine = std::ranges::any_of(
            allowed, [&](const auto& place) { return name.starts_with(place.first); });
        EXPECT_TRUE(fine) << name << ":" << number << ": " << line;
      }
    }
  EXPECT_GT(seen, 5U) << "the search finds what it looks for";
}

}  // namespace
}  // namespace bayswap
