// Files inside archives, read as if they lay on the disk.
#include "files/archive_storage.h"

#include "core/packing/archive.h"
#include "support/card_zoo.h"
#include "support/folder.h"
#include "support/tar.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kMost = 512ULL << 20U;  // bytes that an archive may unpack to

class Archives : public testing::Test {
 protected:
  void SetUp() override {
    Bytes tar;
    test::add_to_tar(tar, "a/one.sav", one_);
    test::add_to_tar(tar, "a/b/two.sav", two_);
    test::add_to_tar(tar, "top.sav", one_);
    test::add_to_tar(tar, "/rooted.sav", one_);
    test::add_to_tar(tar, "a/../../up.sav", one_);
    test::add_to_tar(tar, "link.sav", {}, '2', "/etc/passwd");
    test::add_to_tar(tar, "hard.sav", {}, '1', "top.sav");
    tar_ = test::closed_tar(tar);
    folder_.write("pack.tar", tar_);
  }
  [[nodiscard]] Path inside(const std::string& name) const {
    return (folder_ / "pack.tar").string() + ":" + name;
  }

  const Bytes one_ = test::random_bytes(700, 1);
  const Bytes two_ = test::random_bytes(90, 2);
  test::TempFolder folder_;
  Bytes tar_;
  ArchiveStorage storage_{disk()};
};

TEST_F(Archives, AreFoldersToRead) {
  const auto file = storage_.info(inside("a/one.sav"));
  ASSERT_TRUE(file);
  EXPECT_EQ(file->type, FileType::file);
  EXPECT_EQ(file->size, 700U);
  EXPECT_EQ(file->modified_ns, 1'769'996'288'000'000'000);
  EXPECT_EQ(storage_.info(inside("a"))->type, FileType::folder);
  EXPECT_EQ(storage_.info(inside(""))->type, FileType::folder);
  EXPECT_EQ(*storage_.read(inside("a/b/two.sav"), 1000), two_);
  EXPECT_EQ(storage_.view(inside("/a/b/two.sav"), 1000)->bytes().size(), two_.size());
  const auto walked = storage_.view_if(inside("a/one.sav"), *file, 3, [&](ByteView first) {
    return Bytes(first.begin(), first.end()) == Bytes(one_.begin(), one_.begin() + 3);
  });
  ASSERT_TRUE(walked && *walked);
  EXPECT_EQ((*walked)->bytes().size(), one_.size());
  EXPECT_EQ(*storage_.list(inside("")), (std::vector<std::string>{"a", "top.sav"}));
  EXPECT_EQ(*storage_.list(inside("a")), (std::vector<std::string>{"b", "one.sav"}));
  EXPECT_EQ(storage_.info(inside("nothing")).error().code, Code::missing);
  EXPECT_EQ(storage_.list(inside("nothing")).error().code, Code::missing);
  EXPECT_EQ(storage_.view(inside("a"), 1000).error().code, Code::missing);
  EXPECT_EQ(archive_name(archive_root("x.zip") / "a" / "b"), "x.zip:a/b");
  EXPECT_EQ(inner_name("dir/x.ZIP:Lantern Drift.srm"), "Lantern Drift.srm");
  EXPECT_EQ(inner_name("dir/12:30 run.srm"), "12:30 run.srm");
}

// Made by another program: everything that people pack saves in.
TEST_F(Archives, ComeInManyForms) {
  folder_.write("in/a/one.sav", one_);
  folder_.write("in/top.sav", two_);
  for (const char* form : {"pack.7z --format=7zip", "pack.zip --format=zip", "pack.tar.gz -z",
                           "pack.tar.xz -J", "pack.tar.zst --zstd", "pack.tar.bz2 -j"}) {
    const std::string words = form;
    const std::string name = words.substr(0, words.find(' '));
    const std::string make = "cd '" + folder_.path().string() + "/in' && bsdtar -c" +
                             words.substr(words.find(' ')) + " -f '../" + name + "' a top.sav";
    ASSERT_EQ(std::system(make.c_str()), 0) << make;
    const std::string archive = (folder_ / name).string();
    EXPECT_EQ(*storage_.list(archive + ":"), (std::vector<std::string>{"a", "top.sav"})) << name;
    const auto read = storage_.read(archive + ":a/one.sav", 1000);
    ASSERT_TRUE(read) << name << ": " << read.error().text;
    EXPECT_EQ(*read, one_) << name;
  }
}

TEST_F(Archives, PlainFilesWithColonsStayPlain) {
  folder_.write("12:30 run.srm", one_);
  EXPECT_EQ(*storage_.read(folder_ / "12:30 run.srm", 1000), one_);
  EXPECT_EQ(storage_.info(folder_ / "12:31 run.srm").error().code, Code::missing);
  EXPECT_TRUE(storage_.create(folder_ / "12:32 run.srm", one_, 0644));
}

TEST_F(Archives, NothingInsideIsWritten) {
  const auto before = test::snapshot(folder_.path());
  EXPECT_EQ(storage_.create(inside("new.sav"), one_, 0644).error().code, Code::place_failed);
  EXPECT_EQ(storage_.make_folder(inside("new")).error().code, Code::place_failed);
  EXPECT_FALSE(storage_.remove(inside("top.sav")));
  EXPECT_FALSE(storage_.remove_folder(inside("a")));
  EXPECT_FALSE(storage_.set_modified(inside("top.sav"), 1));
  folder_.write("loose.sav", two_);
  EXPECT_EQ(storage_.rename(folder_ / "loose.sav", inside("top.sav")).error().code,
            Code::place_failed);
  std::filesystem::remove(folder_ / "loose.sav");
  auto after = test::snapshot(folder_.path());
  // The folder's own time moved, since a loose file came and went.
  after["."] = before.at(".");
  EXPECT_EQ(after, before);
}

TEST_F(Archives, AChangedArchiveIsReadAgain) {
  EXPECT_EQ(storage_.info(inside("top.sav"))->size, 700U);
  Bytes tar;
  test::add_to_tar(tar, "top.sav", two_);
  folder_.write("pack.tar", test::closed_tar(tar));
  EXPECT_EQ(storage_.info(inside("top.sav"))->size, 90U);
}

TEST_F(Archives, LimitsHold) {
  Bytes many;
  for (int i = 0; i < 4200; ++i) test::add_to_tar(many, "f" + std::to_string(i), {});
  EXPECT_EQ(read_archive(test::closed_tar(many), "x", kMost).error().code, Code::too_large);
  EXPECT_FALSE(is_archive(test::random_bytes(5000, 3)));
  EXPECT_FALSE(is_archive({}));
  EXPECT_EQ(read_archive(test::random_bytes(5000, 3), "x", kMost).error().code, Code::damaged);
}

// Whatever a damaged archive holds: an answer, no names that lead out, nothing on the disk.
TEST_F(Archives, HostileOnesEndInAnAnswer) {
  const auto before = test::snapshot(folder_.path());
  std::size_t whole = 0;
  for (int round = 0; round < test::rounds(1500); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    Bytes tar = tar_;
    for (unsigned i = 0; i < 1 + numbers() % 6; ++i) {
      const std::size_t header = numbers() % 7 * 512;
      const std::size_t at = numbers() % 2 == 0 ? numbers() % tar.size() : header + numbers() % 300;
      if (at < tar.size()) tar[at] = static_cast<std::byte>(numbers() & 0xFFU);
    }
    if (numbers() % 8 == 0) tar.resize(numbers() % tar.size());
    (void)is_archive(tar);
    const auto entries = read_archive(tar, "x", kMost);
    if (!entries) continue;
    ++whole;
    for (const ArchiveEntry& entry : *entries) {
      EXPECT_FALSE(entry.name.empty());
      EXPECT_NE(entry.name.front(), '/');
      for (const Path& piece : Path(entry.name)) EXPECT_NE(piece, "..") << entry.name;
    }
  }
  EXPECT_GT(whole, 0U);
  EXPECT_EQ(test::snapshot(folder_.path()), before);
}

}  // namespace
}  // namespace bayswap
