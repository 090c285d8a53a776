// Walks beside the obvious one.
#include "places/walk.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <fstream>

#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

// Depth first, names in order, as a person would write it down.
void walk_plainly(const Path& folder, bool below, int depth, std::vector<std::string>& found) {
  std::error_code problem;
  std::vector<Path> entries;
  for (const auto& entry : std::filesystem::directory_iterator(folder, problem))
    entries.push_back(entry.path());
  std::ranges::sort(entries, {}, [](const Path& path) { return path.filename().string(); });
  for (const Path& path : entries) {
    if (path.filename().string().starts_with(".bayswap-")) continue;
    const auto kind = std::filesystem::symlink_status(path).type();
    if (kind == std::filesystem::file_type::regular) found.push_back(path.string());
    if (kind == std::filesystem::file_type::directory && below && depth > 0)
      walk_plainly(path, below, depth - 1, found);
  }
}

std::vector<std::string> walked(const Path& folder, bool below) {
  std::vector<std::string> found;
  for (const WalkedFile& file : files_below(disk(), folder, below)) {
    EXPECT_EQ(file.info.size, std::filesystem::file_size(file.path()));
    found.push_back(file.path().string());
  }
  return found;
}

TEST(Walk, FindsTheFilesOfRandomTreesInOrder) {
  const std::vector<std::string> names{"a",   "a.sav",         "A",        "b b",    ".hidden", "z",
                                       "a-b", ".bayswap-m1-x", "\xC3\xA9", "nested", "n.zip"};
  for (int round = 0; round < test::rounds(60); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    const test::TempFolder folder;
    std::vector<Path> folders{folder.path()};
    for (int i = 0; i < 40; ++i) {
      const Path path = folders[numbers() % folders.size()] / names[numbers() % names.size()];
      if (std::filesystem::exists(std::filesystem::symlink_status(path))) continue;
      switch (numbers() % 5) {
        case 0:
        case 1:
          std::filesystem::create_directory(path);
          folders.push_back(path);
          break;
        case 2: std::filesystem::create_directory_symlink(folder.path(), path); break;
        default: folder.write(path.lexically_relative(folder.path()), Bytes(numbers() % 99));
      }
    }
    for (const bool below : {false, true}) {
      std::vector<std::string> expected;
      walk_plainly(folder.path(), below, 64, expected);
      EXPECT_EQ(walked(folder.path(), below), expected) << "round " << round;
    }
  }
}

TEST(Walk, GoesAllTheWayDownAndTellsWhatCannotBeRead) {
  const test::TempFolder folder;
  Path deep = folder.path();
  for (int i = 0; i < 80; ++i) {
    deep /= "d";
    std::filesystem::create_directory(deep);
    std::ofstream(deep / "f") << "x";
  }
  std::vector<std::string> expected;
  walk_plainly(folder.path(), true, 100, expected);
  EXPECT_EQ(expected.size(), 80U);
  EXPECT_EQ(walked(folder.path(), true), expected);
  EXPECT_TRUE(files_below(disk(), folder / "nowhere").empty());
  folder.write("shut/inside", Bytes(1));
  std::filesystem::permissions(folder / "shut", std::filesystem::perms::none);
  const bool root = ::geteuid() == 0;  // whom nothing is shut to
  EXPECT_EQ(walked(folder.path(), true).size(), root ? 81U : 80U);
  std::filesystem::permissions(folder / "shut", std::filesystem::perms::owner_all);
}

}  // namespace
}  // namespace bayswap
