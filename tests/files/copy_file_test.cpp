// Files copied part by part on two threads: the same bytes and the same digest, or nothing at all.
#include "files/copy_file.h"

#include <gtest/gtest.h>
#include <sys/stat.h>

#include <atomic>
#include <fstream>
#include <thread>

#include "files/version_digest.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

class CopyFile : public testing::Test {
 protected:
  Result<Digest> copy(const std::string& from, const std::string& to, std::uint32_t mode = 0644) {
    told_ = 0;
    return copy_file(folder_ / from, folder_ / to, mode, [this](std::uint64_t bytes) {
      told_ += bytes;
      return told_ < stop_at_;
    });
  }
  [[nodiscard]] bool is_there(const std::string& name) const {
    return std::filesystem::exists(std::filesystem::symlink_status(folder_ / name));
  }

  test::TempFolder folder_;
  std::uint64_t told_ = 0;
  std::uint64_t stop_at_ = ~std::uint64_t{0};
};

TEST_F(CopyFile, GivesTheSameBytesAndDigestAtEverySize) {
  // Around what is hashed whole, around a piece, and around what a thread takes at once; the last
  // ones are whole pages with spare bytes, whose pieces are larger.
  for (const std::size_t size :
       {0U, 1U, 32'767U, 32'768U, 65'535U, 65'536U, 65'537U, 98'304U, 524'287U, 524'288U, 524'289U,
        1'048'576U, 1'572'865U, 5'000'000U, 528U * 124U, 528U * 1024U, 528U * 16'384U}) {
    const Bytes content = test::random_bytes(size, static_cast<std::uint32_t>(size) + 1);
    folder_.write("from", content);
    const auto digest = copy("from", "to");
    ASSERT_TRUE(digest) << size << ": " << digest.error().text;
    EXPECT_EQ(test::read(folder_ / "to"), content) << size;
    EXPECT_EQ(*digest, version_digest(content)) << size;
    EXPECT_EQ(told_, size);
    std::filesystem::remove(folder_ / "to");
  }
}

TEST_F(CopyFile, RandomSizesToo) {
  test::Numbers numbers(31);
  for (int round = 0; round < 40; ++round) {
    const std::size_t size = numbers() % 3'000'000;
    const Bytes content = test::random_bytes(size, numbers());
    folder_.write("from", content);
    const auto digest = copy("from", "to");
    ASSERT_TRUE(digest);
    ASSERT_EQ(test::read(folder_ / "to"), content) << size;
    ASSERT_EQ(*digest, version_digest(content)) << size;
    std::filesystem::remove(folder_ / "to");
  }
}

TEST_F(CopyFile, KeepsTheModeThatIsAskedFor) {
  folder_.write("from", test::random_bytes(100'000, 2));
  ASSERT_TRUE(copy("from", "to", 0600));
  EXPECT_EQ(disk().info(folder_ / "to")->mode, 0600U);
}

TEST_F(CopyFile, WritesOverNothing) {
  const Bytes there = test::random_bytes(1000, 3);
  folder_.write("from", test::random_bytes(100'000, 4));
  folder_.write("to", there);
  const auto copied = copy("from", "to");
  ASSERT_FALSE(copied);
  EXPECT_EQ(copied.error().code, Code::place_failed);
  EXPECT_EQ(test::read(folder_ / "to"), there);
  std::filesystem::create_symlink(folder_ / "elsewhere", folder_ / "link");
  EXPECT_FALSE(copy("from", "link"));
  EXPECT_FALSE(is_there("elsewhere"));
}

TEST_F(CopyFile, NamesWhatCannotBeRead) {
  EXPECT_EQ(copy("none", "to").error().code, Code::missing);
  EXPECT_EQ(copy(".", "to").error().code, Code::unreadable);
  ASSERT_EQ(::mkfifo((folder_ / "pipe").c_str(), 0600), 0);
  EXPECT_EQ(copy("pipe", "to").error().code, Code::unreadable);
  EXPECT_FALSE(is_there("to"));
  folder_.write("from", test::random_bytes(10, 1));
  EXPECT_EQ(copy("from", "no/such/place").error().code, Code::place_failed);
}

// A file that is cut while it is copied: a whole copy of what was there, or an error and nothing.
TEST_F(CopyFile, AFileThatShrinksMeanwhileLeavesNoHalfCopy) {
  const Bytes content = test::random_bytes(8U << 20U, 5);
  std::size_t refused = 0;
  for (int round = 0; round < 10; ++round) {
    folder_.write("from", content);
    std::atomic<bool> begun{false};
    std::thread cutter([&] {
      while (!begun) std::this_thread::yield();
      std::filesystem::resize_file(folder_ / "from", 100'000);
    });
    const auto copied = copy_file(folder_ / "from", folder_ / "to", 0644, [&](std::uint64_t) {
      begun = true;
      return true;
    });
    begun = true;
    cutter.join();
    if (copied) {
      EXPECT_EQ(test::read(folder_ / "to"), content);
    } else {
      ++refused;
      EXPECT_EQ(copied.error().code, Code::in_use);
      EXPECT_FALSE(is_there("to"));
    }
    std::filesystem::remove(folder_ / "to");
  }
  EXPECT_GT(refused, 0U);
}

TEST_F(CopyFile, WhoIsToldMayStopIt) {
  folder_.write("from", test::random_bytes(40U << 20U, 5));
  stop_at_ = 10U << 20U;
  const auto copied = copy("from", "to");
  ASSERT_FALSE(copied);
  EXPECT_EQ(copied.error().code, Code::cancelled);
  EXPECT_FALSE(is_there("to")) << "nothing half-copied stays";
}

}  // namespace
}  // namespace bayswap
