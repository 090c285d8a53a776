#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <tuple>

#include "bayswap/storage.h"
#include "core/bytes/hash.h"
#include "core/packing/archive.h"
#include "files/atomic_write.h"
#include "support/bytes.h"
#include "support/failing_storage.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;

TEST(Disk, ReadsSmallAndLargeFilesAlike) {
  const TempFolder folder;
  for (const std::size_t size : {0U, 1U, 4096U, (1U << 20U) - 1, 1U << 20U, (1U << 20U) + 7}) {
    const Bytes content = test::random_bytes(size, static_cast<std::uint32_t>(size));
    const Path path = folder.write("f", content);
    const auto view = disk().view(path, kSaveLimit);
    ASSERT_TRUE(view) << size;
    EXPECT_TRUE(
        std::equal(content.begin(), content.end(), view->bytes().begin(), view->bytes().end()))
        << size;
  }
}

TEST(Disk, RefusesWhatIsNoFile) {
  const TempFolder folder;
  ASSERT_EQ(::mkfifo((folder / "pipe").c_str(), 0600), 0);
  const auto pipe = disk().view(folder / "pipe", kSaveLimit);
  ASSERT_FALSE(pipe) << "must not wait for a writer";
  EXPECT_EQ(pipe.error().code, Code::unreadable);
  EXPECT_EQ(disk().view(folder.path(), kSaveLimit).error().code, Code::unreadable);
  EXPECT_EQ(disk().view(folder / "none", kSaveLimit).error().code, Code::missing);
  EXPECT_EQ(disk().view(folder / "none/deeper", kSaveLimit).error().code, Code::missing);
  folder.write("big", test::filled(100, 1));
  EXPECT_EQ(disk().view(folder / "big", 99).error().code, Code::too_large);
  EXPECT_EQ(disk().list(folder / "big").error().trouble, Trouble::input);
}

// Seen as far as the walk has seen it, whatever has become of it since.
TEST(Disk, ViewsWhatAWalkHasMetWhenItsBeginningIsWanted) {
  const TempFolder folder;
  for (const std::size_t size : {0U, 5U, 600U, 70'000U, (1U << 20U) + 7}) {
    const Bytes content = test::random_bytes(size, static_cast<std::uint32_t>(size));
    const Path path = folder.write("f", content);
    const auto walked = disk().info(path);
    ASSERT_TRUE(walked);
    const Bytes start(content.begin(),
                      content.begin() + static_cast<long>(std::min<std::size_t>(size, 512)));
    Bytes seen(1);
    const auto note = [&](ByteView first) {
      seen.assign(first.begin(), first.end());
      return true;
    };
    const auto whole = disk().view_if(path, *walked, 512, note);
    ASSERT_TRUE(whole && *whole) << size;
    EXPECT_EQ(Bytes((*whole)->bytes().begin(), (*whole)->bytes().end()), content) << size;
    EXPECT_EQ(seen, start) << size;
    const auto unwanted = disk().view_if(path, *walked, 512, [](ByteView) { return false; });
    EXPECT_TRUE(unwanted && !*unwanted) << size;
    const auto always = disk().view_if(path, *walked, 0, {});
    ASSERT_TRUE(always && *always) << size;
    EXPECT_EQ((*always)->bytes().size(), size);
  }
  const Path path = folder.write("g", test::filled(600, 1));
  const FileInfo walked = *disk().info(path);
  const auto seen = [&] { return disk().view_if(path, walked, 512, {}); };
  folder.write("g", test::filled(900, 2));
  EXPECT_EQ((*seen())->bytes().size(), 600U);
  folder.write("g", test::filled(7, 2));
  EXPECT_EQ((*seen())->bytes().size(), 7U);
  std::filesystem::remove(path);
  EXPECT_EQ(seen().error().code, Code::missing);
  ASSERT_EQ(::mkfifo(path.c_str(), 0600), 0);
  EXPECT_TRUE(!seen() || (*seen())->bytes().empty()) << "must not wait for a writer";
  std::filesystem::remove(path);
  std::filesystem::create_directory(path);
  EXPECT_EQ(seen().error().code, Code::unreadable);
}

// What is in a folder, in one call or in many.
TEST(Disk, EntriesAreTheListAndWhatIsSaidOfEach) {
  const TempFolder folder;
  for (const char* name : {"b.srm", "a.srm", ".hidden", "Z.srm", "\xC3\xA9.srm", "with space"})
    folder.write(name, test::random_bytes(static_cast<std::size_t>(*name) & 0x3FU, 1));
  folder.write("deeper/c.srm", test::filled(3, 1));
  std::filesystem::create_symlink(folder / "a.srm", folder / "link");
  std::filesystem::create_symlink(folder / "nowhere", folder / "dangling");
  ASSERT_EQ(::mkfifo((folder / "pipe").c_str(), 0600), 0);
  const auto entries = disk().entries(folder.path());
  ASSERT_TRUE(entries);
  const auto names = disk().list(folder.path());
  ASSERT_TRUE(names);
  ASSERT_EQ(entries->size(), names->size());
  for (std::size_t i = 0; i < names->size(); ++i) {
    const auto info = disk().info(folder / (*names)[i]);
    ASSERT_TRUE(info);
    EXPECT_EQ((*entries)[i].name, (*names)[i]);
    EXPECT_EQ((*entries)[i].info.type, info->type) << (*names)[i];
    EXPECT_EQ((*entries)[i].info.size, info->size);
    EXPECT_EQ((*entries)[i].info.modified_ns, info->modified_ns);
    EXPECT_EQ((*entries)[i].info.mode, info->mode);
  }
  EXPECT_EQ(disk().entries(folder / "none").error().code, Code::missing);
  EXPECT_EQ(disk().entries(folder / "a.srm").error().trouble, Trouble::input);
}

// Another run of Bay Swap makes the same folder between the look and the making.
class Overtaken final : public test::FailingStorage {
 public:
  explicit Overtaken(std::string name) : FailingStorage(0, Fault::error), name_(std::move(name)) {}
  Result<void> make_folder(const Path& path) override {
    if (path.filename() == name_) std::filesystem::create_directory(path);
    return disk().make_folder(path);
  }

 private:
  std::string name_;
};

TEST(Folders, ThatAnotherRunMakesMeanwhileAreThereAndNotOurs) {
  const TempFolder folder;
  Overtaken storage("b");
  const auto made = make_folders(storage, folder / "a/b/c");
  ASSERT_TRUE(made) << made.error().text;
  EXPECT_EQ(*made, (std::vector<Path>{folder / "a", folder / "a/b/c"}));
  folder.write("file", test::filled(1, 1));
  EXPECT_EQ(make_folders(disk(), folder / "file/b").error().code, Code::place_failed)
      << "a file in the way is not a folder";
}

TEST(Disk, CreatesOnlyWhatIsNotThere) {
  const TempFolder folder;
  ASSERT_TRUE(disk().create(folder / "new", test::filled(5, 7), 0640));
  EXPECT_EQ(disk().info(folder / "new")->mode, 0640U);
  const auto again = disk().create(folder / "new", test::filled(5, 8), 0640);
  ASSERT_FALSE(again);
  EXPECT_EQ(again.error().trouble, Trouble::place);
  EXPECT_EQ(test::read(folder / "new"), test::filled(5, 7));
  std::filesystem::create_symlink(folder / "elsewhere", folder / "link");
  EXPECT_FALSE(disk().create(folder / "link", test::filled(5, 9), 0640))
      << "a dangling link is not followed";
  EXPECT_FALSE(std::filesystem::exists(folder / "elsewhere"));
  EXPECT_FALSE(disk().create(folder / "no/such/place", {}, 0640));
}

TEST(Disk, KeepsTimesToTheNanosecond) {
  const TempFolder folder;
  const Path path = folder.write("f", test::filled(1, 1));
  for (const std::int64_t time : {1'767'225'600'123'456'789LL, 0LL, -1LL, 1LL}) {
    ASSERT_TRUE(disk().set_modified(path, time));
    EXPECT_EQ(disk().info(path)->modified_ns, time);
  }
}

TEST(Disk, DoesNotFollowLinksWhenItTellsAboutThem) {
  const TempFolder folder;
  std::filesystem::create_symlink("/", folder / "root");
  EXPECT_EQ(disk().info(folder / "root")->type, FileType::link);
  EXPECT_FALSE(is_missing(disk(), folder / "root"));
  EXPECT_TRUE(is_missing(disk(), folder / "nothing"));
}

TEST(Disk, ListsInOrder) {
  const TempFolder folder;
  for (const std::string name : {"b", "a", "c"}) folder.write(name, Bytes{});
  EXPECT_EQ(*disk().list(folder.path()), (std::vector<std::string>{"a", "b", "c"}));
}

TEST(AtomicWrite, ReplacesAndMakesFolders) {
  const TempFolder folder;
  const Path path = folder / "one/two/file";
  ASSERT_TRUE(replace_own_file(disk(), path, test::filled(3, 1)));
  ASSERT_TRUE(replace_own_file(disk(), path, test::filled(4, 2)));
  EXPECT_EQ(test::read(path), test::filled(4, 2));
  EXPECT_EQ(disk().list(folder / "one/two")->size(), 1U) << "nothing is left beside it";
  folder.write("file", Bytes{});
  EXPECT_EQ(replace_own_file(disk(), folder / "file/below", {}).error().trouble, Trouble::place);
}

TEST(Hash, IsTheStandardOne) {
  EXPECT_EQ(sha256_hex({}), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
  EXPECT_EQ(sha256_hex(test::bytes({'a', 'b', 'c'})),
            "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

TEST(Places, ComeFromTheEnvironment) {
  ::setenv("HOME", "/home/me", 1);
  ::unsetenv("XDG_CONFIG_HOME");
  ::setenv("XDG_DATA_HOME", "relative", 1);
  EXPECT_EQ(Places::from_environment()->config, "/home/me/.config/bayswap");
  EXPECT_EQ(Places::from_environment()->data, "/home/me/.local/share/bayswap")
      << "relative values do not count";
  ::setenv("XDG_DATA_HOME", "/data", 1);
  EXPECT_EQ(Places::from_environment()->data, "/data/bayswap");
}

// A stored zip by hand: local header, name, bytes, central directory, end.
Bytes tiny_zip(const std::string& name, const Bytes& content) {
  std::uint32_t crc = 0xFFFFFFFF;
  for (const std::byte byte : content) {
    crc ^= std::to_integer<std::uint32_t>(byte);
    for (int bit = 0; bit < 8; ++bit) crc = (crc & 1U) != 0 ? crc >> 1U ^ 0xEDB88320U : crc >> 1U;
  }
  crc = ~crc;
  Bytes zip;
  const auto number = [&](std::uint64_t value, int width) {
    for (int i = 0; i < width; ++i) zip.push_back(static_cast<std::byte>(value >> (8 * i) & 255U));
  };
  const auto text = [&] {
    for (const char c : name) zip.push_back(static_cast<std::byte>(c));
  };
  const auto common = [&] {
    number(20, 2);
    number(0, 2);
    number(0, 2);
    number(0, 4);
    number(crc, 4);
    number(content.size(), 4);
    number(content.size(), 4);
    number(name.size(), 2);
    number(0, 2);
  };
  number(0x04034B50, 4);
  common();
  text();
  zip.insert(zip.end(), content.begin(), content.end());
  const std::size_t directory = zip.size();
  number(0x02014B50, 4);
  number(20, 2);
  common();
  number(0, 2);
  number(0, 2);
  number(0, 2);
  number(0, 4);
  number(0, 4);
  text();
  const std::size_t size = zip.size() - directory;
  number(0x06054B50, 4);
  number(0, 4);
  number(1, 2);
  number(1, 2);
  number(size, 4);
  number(directory, 4);
  number(0, 2);
  return zip;
}

TEST(Zip, ReadsMembersWithLimits) {
  const Bytes content = test::random_bytes(5000, 3);
  const Bytes zip = tiny_zip("a.gba", content);
  ASSERT_TRUE(is_zip(zip));
  int seen = 0;
  visit_zip(zip, {}, [&](const std::string& name, ByteView bytes, std::uint64_t size) {
    ++seen;
    EXPECT_EQ(name, "a.gba");
    EXPECT_EQ(size, 5000U);
    EXPECT_TRUE(std::equal(bytes.begin(), bytes.end(), content.begin(), content.end()));
    return false;
  });
  EXPECT_EQ(seen, 1);
  visit_zip(zip, {10, 1000}, [&](const std::string&, ByteView bytes, std::uint64_t size) {
    EXPECT_EQ(bytes.size(), 1000U);
    EXPECT_EQ(size, 5000U);
    return false;
  });
}

TEST(Zip, SurvivesDamage) {
  const Bytes good = tiny_zip("a", test::random_bytes(300, 4));
  for (std::uint32_t seed = 0; seed < 2000; ++seed) {
    Bytes zip = good;
    for (int i = 0; i < 4; ++i)
      zip[(seed * 7919U + static_cast<std::uint32_t>(i) * 104729U) % zip.size()] ^=
          static_cast<std::byte>(seed % 255 + 1);
    if (seed % 5 == 0) zip.resize(seed % zip.size());
    visit_zip(zip, {}, [](const std::string&, ByteView, std::uint64_t) { return false; });
  }
}

TEST(LiesIn, ComparesNamesAndNothingElse) {
  const std::vector<std::tuple<const char*, const char*, bool>> cases{
      {"/a/b", "/a/b", true},
      {"/a/b", "/a/b/c/d", true},
      {"/a/b/", "/a/b/c", true},
      {"/a//b", "/a/b/c", true},
      {"/a/b", "/a/bc", false},
      {"/a/b", "/a", false},
      {"/", "/a", true},
      {"/a", "a", false},
      {"a", "a/b", true},
      {"a/b", "a/c/b", false},
      {"/a/b/c", "/a/b", false},
      {"a", "/a", false},
      {"/a b/{x}", "/a b/{x}/y", true}};
  for (const auto& [folder, path, inside] : cases)
    EXPECT_EQ(lies_in(folder, path), inside) << folder << " and " << path;
}

TEST(WorkFiles, AreFilledInAnyOrderAndFoundAgain) {
  TempFolder folder;
  const Path path = folder / "work";
  const Bytes some = test::random_bytes(300, 1);
  {
    auto file = disk().open_work_file(path);
    ASSERT_TRUE(file) << file.error().text;
    ASSERT_TRUE((*file)->put(200, ByteView(some).subspan(200)));
    ASSERT_TRUE((*file)->put(0, ByteView(some).first(200)));
    EXPECT_EQ((*file)->size(), 300U);
    EXPECT_TRUE((*file)->flush());
  }
  auto file = disk().open_work_file(path);
  ASSERT_TRUE(file);
  Bytes read(100);
  ASSERT_TRUE((*file)->get(150, read));
  EXPECT_TRUE(std::ranges::equal(read, ByteView(some).subspan(150, 100)));
  EXPECT_EQ((*file)->get(250, read).error().code, Code::unreadable);
  EXPECT_EQ(disk().info(path)->mode & 0777U, 0600U);
  // Nothing is followed, and nothing but a file is opened.
  std::filesystem::create_symlink(path, folder / "link");
  EXPECT_FALSE(disk().open_work_file(folder / "link"));
  EXPECT_FALSE(disk().open_work_file(folder.path()));
}

}  // namespace
}  // namespace bayswap
