// Folders of saves by their paths and by the files in them.
#include <gtest/gtest.h>

#include "bayswap/folder.h"
#include "support/card_zoo.h"
#include "support/golden_titles.h"

namespace bayswap {
namespace {

using test::operator+;

const FolderLayout& folder_layout(std::string_view id) {
  return *as_folder(*find_layout(id));
}

TEST(TitleIds, AreReadInEverySpelling) {
  const std::string id = "0005000010100a00";
  for (const std::string spelling : {"0005000010100a00", "0005000010100A00", "00050000/10100A00",
                                     "00050000-10100a00", "0x0005000010100A00"})
    EXPECT_EQ(parse_title_id(spelling), id) << spelling;
  EXPECT_EQ(parse_title_id("10100A00", "00050000"), id);
  EXPECT_EQ(parse_title_id("RKFE", "00010000"), "00010000524b4645");
  EXPECT_EQ(code_of_title("00010000524b4645"), "RKFE");
  EXPECT_EQ(code_of_title(id), "");
  for (const std::string wrong : {"", "10100a00", "0005000010100a0", "0005000010100a0g", "rkfe"})
    EXPECT_FALSE(parse_title_id(wrong)) << wrong;
}

TEST(TitlePlaces, AreToldByTheirPaths) {
  const auto at = [](const std::string& layout, const std::string& path) {
    return folder_layout(layout).place(path);
  };
  const auto wii = at("wii-title", "/x/title/00010000/524b4645/data");
  ASSERT_TRUE(wii);
  EXPECT_EQ(wii->game.title_id, "00010000524b4645");
  EXPECT_EQ(wii->game.code, "RKFE");
  EXPECT_EQ(wii->game.region, Region::america);
  EXPECT_FALSE(wii->sealed);
  EXPECT_FALSE(at("wii-title", "/x/title/00010000/524b4645/content"));
  EXPECT_FALSE(at("wii-title", "/x/title/00010005/524b4645/data"));
  const auto sealed = at("wii-title", "/card/private/wii/title/RKFP");
  ASSERT_TRUE(sealed);
  EXPECT_TRUE(sealed->sealed);
  EXPECT_EQ(sealed->game.region, Region::europe);
  const auto relay = at("3ds-title", "/sd/title/00040000/000D4C00/data/00000001");
  ASSERT_TRUE(relay);
  EXPECT_EQ(relay->game.title_id, "00040000000d4c00");
  EXPECT_TRUE(at("3ds-title", "/sd/title/00040000/000D4C00/data")->sealed);
  EXPECT_FALSE(at("3ds-title", "/sd/title/00050000/000D4C00/data"));
  const auto halyard = at("wiiu-title", "/u/00050000/10100A00/user/8000002A");
  ASSERT_TRUE(halyard);
  EXPECT_EQ(halyard->game.account, "8000002a");
  EXPECT_TRUE(at("wiiu-title", "/u/00050000/10100A00/user/common")->shared);
  EXPECT_FALSE(at("wiiu-title", "/u/00050000/10100A00/user/hello"));
  EXPECT_FALSE(at("wiiu-title", "data"));
}

TEST(TitlePlaces, SayTheirNamingPatterns) {
  Save save;
  save.game.title_id = "00010000524b4645";
  EXPECT_EQ(folder_layout("wii-title").pattern_of("a/title/00010000/524b4645/data", save),
            "a/title/{title_id:high}/{title_id:low}/data");
  EXPECT_EQ(folder_layout("3ds-title").pattern_of("{x}/00040000/000D4C00/data/00000001", save),
            "{{x}}/{title_id:high:upper}/{title_id:low:upper}/data/00000001");
  save.game.account = "80000001";
  EXPECT_EQ(folder_layout("wiiu-title").pattern_of("00050000/10100a00/user/80000001", save),
            "{title_id:high}/{title_id:low}/user/{account}");
  save.name = "ULES10099CUP";
  EXPECT_EQ(folder_layout("psp-folder").pattern_of("PSP/SAVEDATA/ULES10099CUP", save),
            "PSP/SAVEDATA/{label}");
  EXPECT_FALSE(folder_layout("psp-folder").pattern_of("PSP/renamed", save));
}

TEST(PspFolder, ShowsItsParamSfoInFull) {
  const FolderLayout& layout = folder_layout("psp-folder");
  const std::vector<Part> files{{"DATA.BIN", test::random_bytes(50, 1), false, {}},
                                {"PARAM.SFO", test::usual_sfo("ULES10099CUP"), false, {}}};
  EXPECT_EQ(layout.recognise_folder("/m/ULES10099CUP", files)->confidence, Confidence::certain);
  EXPECT_EQ(layout.recognise_folder("/m/copy", files)->confidence, Confidence::likely);
  const auto save = layout.read_folder("/m/ULES10099CUP", files);
  ASSERT_TRUE(save);
  EXPECT_EQ(save->name, "ULES10099CUP");
  EXPECT_EQ(save->game.title, "Saltmarsh Circuit");
  EXPECT_EQ(save->game.serial, "ULES10099");
  EXPECT_EQ(save->game.region, Region::europe);
  EXPECT_EQ(save->comment, "Cup, race 9\n2nd place");
  const auto details = layout.details(*save);
  ASSERT_EQ(details.size(), 7U);
  EXPECT_EQ(details[1], (std::pair<std::string, std::string>("PARENTAL_LEVEL", "7")));
  EXPECT_EQ(details[4], (std::pair<std::string, std::string>("SAVEDATA_PARAMS", "16 bytes")));
  EXPECT_EQ(layout.write_folder(*save)->at(0).data, files[0].data);
}

TEST(PspFolder, HostileTablesAreRefused) {
  const FolderLayout& layout = folder_layout("psp-folder");
  const Bytes good = test::usual_sfo("ULES10099CUP");
  std::size_t read = 0;
  for (int round = 0; round < test::rounds(2000); ++round) {
    test::Numbers numbers(static_cast<std::uint32_t>(round));
    Bytes sfo = good;
    for (unsigned i = 0; i < 1 + numbers() % 8; ++i) {
      const std::size_t at = numbers() % (numbers() % 3 == 0 ? sfo.size() : 260);
      sfo[at] = static_cast<std::byte>(numbers() % 4 == 0 ? 0xFF : numbers() & 0xFFU);
    }
    if (numbers() % 10 == 0) sfo.resize(numbers() % sfo.size());
    const std::vector<Part> files{{"PARAM.SFO", sfo, false, {}}};
    (void)layout.recognise_folder("/x", files);
    const auto save = layout.read_folder("/x", files);
    if (!save) {
      EXPECT_EQ(save.error().code, Code::damaged);
      continue;
    }
    ++read;
    EXPECT_LE(layout.details(*save).size(), 256U);
  }
  EXPECT_GT(read, 0U);
}

TEST(WiiTitle, ReadsItsBanner) {
  Bytes banner(0x100);
  test::put(banner, 0, "WIBN");
  // K, a letter beyond the first plane, and a broken half.
  for (const auto& [at, unit] : std::vector<std::pair<std::size_t, unsigned>>{
           {0x20, 0x4B}, {0x22, 0xD83E}, {0x24, 0xDE81}, {0x26, 0xD800}, {0x60, 0x32}})
    test::put_be(banner, at, unit, 2);
  const std::vector<Part> files{{"banner.bin", banner, false, {}}};
  const FolderLayout& layout = folder_layout("wii-title");
  const auto save = layout.read_folder("/x/00010000/524b4645/data", files);
  ASSERT_TRUE(save);
  EXPECT_EQ(save->comment, "K🪁?\n2");
  EXPECT_EQ(save->game.code, "RKFE");
  EXPECT_EQ(layout.recognise_folder("/some/where", files)->confidence, Confidence::likely);
}

TEST(Likeness, NeedsNearlyAllNames) {
  const auto files = [](std::size_t count, std::size_t size) {
    std::vector<Part> parts;
    for (std::size_t i = 0; i < count; ++i)
      parts.push_back({"file" + std::to_string(i), Bytes(size), false, {}});
    return parts;
  };
  const Likeness near = likeness_of(files(12, 10), files(11, 10));
  EXPECT_EQ(near.names, 11U);
  EXPECT_EQ(near.of, 12U);
  EXPECT_TRUE(is_alike(near));
  EXPECT_FALSE(is_alike(likeness_of(files(12, 10), files(5, 10))));
  EXPECT_FALSE(is_alike(likeness_of(files(12, 10), files(12, 11)))) << "no size is the same";
  EXPECT_FALSE(is_alike(likeness_of({}, {})));
}

}  // namespace
}  // namespace bayswap
