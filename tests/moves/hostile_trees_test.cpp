// Trees that nobody sane would make: looking, learning and carrying neither crash, nor hang, nor
// write outside of the destination.
#include <gtest/gtest.h>

#include <fstream>

#include "bayswap/look.h"
#include "support/card_zoo.h"
#include "support/golden_titles.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::Numbers;

using Snapshot = std::map<std::string, std::string>;

std::string differences(const Snapshot& now, const Snapshot& before) {
  std::string text;
  for (const auto& [path, what] : before)
    if (!now.contains(path) || now.at(path) != what)
      text += path + ": " + (now.contains(path) ? now.at(path) : "gone") + ", was " + what + "\n";
  for (const auto& [path, what] : now)
    if (!before.contains(path)) text += path + ": new, " + what + "\n";
  return text;
}

class HostileTrees : public testing::Test {
 protected:
  // Pieces of paths that readers look for, and pieces that lead astray.
  std::string random_name(Numbers& numbers) const {
    static const std::vector<std::string> kNames{"title",
                                                 "00040000",
                                                 "00050000",
                                                 "00010000",
                                                 "10100a00",
                                                 "000D4C00",
                                                 "524b4645",
                                                 "user",
                                                 "80000001",
                                                 "8000002a",
                                                 "common",
                                                 "data",
                                                 "00000001",
                                                 "private",
                                                 "wii",
                                                 "RKFE",
                                                 "SAVEDATA",
                                                 "ULES10099CUP",
                                                 "Content",
                                                 "E000014A5B6C7D8E",
                                                 "58360801",
                                                 "banner.bin",
                                                 "data.bin",
                                                 "PARAM.SFO",
                                                 "content",
                                                 "{stem}",
                                                 "a:b",
                                                 "..data",
                                                 "x\ny",
                                                 "\xff\xfe",
                                                 "PARAM.SFO ",
                                                 std::string(120, 'n'),
                                                 ".bayswap-m1-new",
                                                 "CON",
                                                 "000d4c00.sav",
                                                 "00000001.sav"};
    return kNames[numbers() % kNames.size()];
  }

  // A title's path, at times with a piece that is another; or nothing but pieces.
  Path random_path(Numbers& numbers) const {
    static const std::vector<std::string> kPaths{"save/00050000/10100a00/user/80000001/main",
                                                 "save/00050000/10100a00/user/common/all",
                                                 "title/00010000/524b4645/data/banner.bin",
                                                 "title/00010000/524b4645/data/save.dat",
                                                 "title/00040000/000d4c00/data/00000001/main",
                                                 "PSP/SAVEDATA/ULES10099CUP/PARAM.SFO",
                                                 "PSP/SAVEDATA/ULES10099CUP/DATA.BIN",
                                                 "Content/E000014A5B6C7D8E/58360801/00000001/F1"};
    Path path;
    if (numbers() % 4 == 0) {
      for (unsigned depth = 1 + numbers() % 6; depth > 0; --depth) path /= random_name(numbers);
      return path;
    }
    for (const Path& piece : Path(kPaths[numbers() % kPaths.size()]))
      path /= numbers() % 15 == 0 ? Path(random_name(numbers)) : piece;
    return path;
  }

  Bytes random_content(Numbers& numbers) const {
    switch (numbers() % 5) {
      case 0: return {};
      case 1: {
        Bytes sfo = test::usual_sfo("ULES10099CUP");
        for (unsigned i = numbers() % 6; i > 0; --i)
          sfo[numbers() % sfo.size()] = static_cast<std::byte>(numbers());
        return sfo;
      }
      case 2: {
        Bytes package = test::PackageGolden({}, test::usual_files()).bytes;
        for (unsigned i = numbers() % 6; i > 0; --i)
          package[numbers() % package.size()] = static_cast<std::byte>(numbers());
        return package;
      }
      case 3: {
        Bytes banner = test::filled(200, 0);
        test::put(banner, 0, "WIBN");
        return banner;
      }
      default: return test::random_bytes(numbers() % 300, numbers());
    }
  }

  void plant(const Path& root, Numbers& numbers) const {
    std::vector<Path> links;  // last, so that nothing is planted through them
    for (unsigned i = 3 + numbers() % 12; i > 0; --i) {
      const Path at = root / random_path(numbers);
      std::error_code ignored;
      std::filesystem::create_directories(at.parent_path(), ignored);
      const unsigned kind = numbers() % 8;
      if (kind == 0) {
        links.push_back(at);
      } else if (kind == 1) {
        std::filesystem::create_directories(at, ignored);
      } else {
        std::ofstream file(at, std::ios::binary);
        const Bytes bytes = random_content(numbers);
        file.write(reinterpret_cast<const char*>(bytes.data()),
                   static_cast<std::streamsize>(bytes.size()));
      }
    }
    std::error_code ignored;
    for (const Path& link : links) std::filesystem::create_symlink(outside_.path(), link, ignored);
  }

  test::TempFolder outside_;
};

TEST_F(HostileTrees, HarmNothing) {
  outside_.write("user/80000001/kept.dat", test::random_bytes(20, 1));
  outside_.write("data/banner.bin", test::random_bytes(20, 2));
  const auto untouched = test::snapshot(outside_.path());
  std::size_t carried = 0;
  for (int round = 0; round < test::rounds(40); ++round) {
    Numbers numbers(static_cast<std::uint32_t>(round));
    const test::TempFolder place;
    plant(place / "from", numbers);
    plant(place / "to", numbers);
    const auto from_before = test::snapshot(place / "from");
    const auto to_before = test::snapshot(place / "to");
    auto session = Session::open(disk(), {place / "config", place / "data"});
    ASSERT_TRUE(session);
    (void)look(*session, place / "from", {}, [](const Item&) {});
    bool learned = true;
    for (const char* name : {"from", "to"}) {
      const auto bay = learn_bay(disk(), session->catalog, name, place / name);
      learned = learned && bay && session->bays.put(disk(), session->bays_file(), *bay);
    }
    if (!learned) continue;
    auto again = Session::open(disk(), {place / "config", place / "data"});
    ASSERT_TRUE(again) << again.error().text;
    CarryRequest request;
    request.from = "from";
    request.to = "to";
    request.all = true;
    request.accept = {Code::newer_there, Code::region_differs, Code::blank_source};
    const auto report = carry(*again, request);
    bool any = false;
    if (report)
      for (const MoveReport& move : report->moves)
        if (move.status == MoveStatus::done && !move.nothing_to_do) {
          ++carried;
          any = true;
        }
    ASSERT_EQ(differences(test::snapshot(place / "from"), from_before), "") << "round " << round;
    if (!any) continue;
    const auto back = undo(*again, "", {});
    ASSERT_TRUE(back) << "round " << round << back.error().text;
    ASSERT_EQ(differences(test::snapshot(place / "to"), to_before), "") << "round " << round;
  }
  EXPECT_EQ(test::snapshot(outside_.path()), untouched);
  EXPECT_GT(carried, 0U);
  std::printf("%zu saves carried and taken back\n", carried);
}

}  // namespace
}  // namespace bayswap
