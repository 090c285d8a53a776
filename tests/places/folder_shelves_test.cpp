// Bays that are learned from title folders and from saves with a second file.
#include <gtest/gtest.h>

#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "support/card_zoo.h"
#include "support/folder.h"
#include "support/golden_titles.h"

namespace bayswap {
namespace {

class FolderShelves : public testing::Test {
 protected:
  Bay learned() {
    const auto bay = learn_bay(disk(), Catalog{}, "place", folder_.path());
    EXPECT_TRUE(bay) << bay.error().text;
    return bay ? *bay : Bay{};
  }
  static const Shelf* shelf_of(const Bay& bay, System system) {
    for (const Shelf& shelf : bay.shelves)
      if (shelf.system == system) return &shelf;
    return nullptr;
  }

  test::TempFolder folder_;
};

TEST_F(FolderShelves, CountEachFolderOnce) {
  for (const std::string title : {"10100a00", "10100b00", "10200c00"})
    for (const std::string account : {"80000001", "80000002"})
      for (const std::string file : {"a.dat", "sub/b.dat", "sub/deep/c.dat"})
        folder_.write("storage/save/00050000/" + title + "/user/" + account + "/" + file,
                      test::random_bytes(10, 1));
  folder_.write("storage/save/00050000/10100a00/user/common/x.dat", test::random_bytes(9, 1));
  folder_.write("storage/notes.txt", test::random_bytes(9, 1));
  const Bay bay = learned();
  ASSERT_EQ(bay.shelves.size(), 1U);
  EXPECT_EQ(bay.shelves[0].pattern, "storage/save/{title_id:high}/{title_id:low}/user/{account}");
  EXPECT_EQ(bay.shelves[0].kind, Kind::folder);
  EXPECT_EQ(bay.shelves[0].explains, 6U);
  EXPECT_EQ(bay.shelves[0].of, 6U);
  ASSERT_EQ(bay.unexplained.size(), 1U) << "what accounts share is explained";
  EXPECT_TRUE(bay.unexplained[0].starts_with("storage/notes.txt"));
}

TEST_F(FolderShelves, SpellTheIdsAsTheyAreSpelledThere) {
  folder_.write("A/title/00040000/000D4C00/data/00000001/main", test::random_bytes(10, 1));
  folder_.write("b/title/00010001/57414845/data/save.bin", test::random_bytes(10, 1));
  folder_.write("memory/PSP/SAVEDATA/ULES10099CUP/PARAM.SFO", test::usual_sfo("ULES10099CUP"));
  folder_.write("memory/PSP/SAVEDATA/renamed/PARAM.SFO", test::usual_sfo("ULES10099SYS"));
  const Bay bay = learned();
  EXPECT_EQ(shelf_of(bay, System::n3ds)->pattern,
            "A/title/{title_id:high:upper}/{title_id:low:upper}/data/00000001");
  EXPECT_EQ(shelf_of(bay, System::wii)->pattern, "b/title/{title_id:high}/{title_id:low}/data");
  EXPECT_EQ(shelf_of(bay, System::psp)->pattern, "memory/PSP/SAVEDATA/{label}");
}

// Every pattern that is learned leads back to the folder that it was learned from.
TEST_F(FolderShelves, PatternsLeadBack) {
  test::Numbers numbers(7);
  const auto hex = [&](std::size_t length, bool upper) {
    const std::string digits = upper ? "0123456789ABCDEF" : "0123456789abcdef";
    std::string text;
    for (std::size_t i = 0; i < length; ++i) text += digits.at(numbers() % 16);
    return text;
  };
  for (int round = 0; round < 300; ++round) {
    const bool upper = numbers() % 2 == 0;
    std::string base;
    for (unsigned i = 0; i < numbers() % 4; ++i)
      base += "dir" + std::to_string(numbers() % 50) + "/";
    std::string id;
    const FolderLayout* layout = nullptr;
    switch (numbers() % 3) {
      case 0:
        layout = as_folder(*find_layout("wii-title"));
        id = base + "00010000/" + hex(8, upper) + "/data";
        break;
      case 1:
        layout = as_folder(*find_layout("3ds-title"));
        id = base + "00040000/" + hex(8, upper) + "/data/0000000" + std::to_string(numbers() % 9);
        break;
      default:
        layout = as_folder(*find_layout("wiiu-title"));
        id = base + "00050000/" + hex(8, upper) + "/user/8000000" + std::to_string(numbers() % 9);
    }
    const auto place = layout->place("/root/" + id);
    ASSERT_TRUE(place) << id;
    Save save;
    save.game = place->game;
    const auto text = layout->pattern_of(id, save);
    ASSERT_TRUE(text) << id;
    const auto pattern = NamingPattern::parse(*text);
    ASSERT_TRUE(pattern) << *text;
    Fields fields{{"title_id", place->game.title_id}};
    if (!place->game.account.empty()) fields.emplace("account", place->game.account);
    const auto built = pattern->build(fields);
    ASSERT_TRUE(built) << *text << ": " << built.error().text;
    EXPECT_EQ(*built, id) << *text;
    EXPECT_EQ(pattern->match(id)->at("title_id"), place->game.title_id) << id;
  }
}

TEST_F(FolderShelves, ASecondFileIsNoSaveOfItsOwn) {
  const CardLayout& card = test::card_layout("dc-card");
  const Save save =
      card.open(test::golden_dc({{"REGATTA_CUP", 0x33, {199, 198, 197}, test::dc_data(1, 800, 3)}}))
          ->saves.at(0)
          .save;
  const auto single = (*find_layout("dc-single"))->write({std::span(&save, 1), std::nullopt, {}});
  folder_.write("vms/REGATTA_CUP", single->bytes);
  folder_.write("vms/REGATTA_CUP.entry", single->second_file);
  const Bay bay = learned();
  ASSERT_EQ(bay.shelves.size(), 1U);
  EXPECT_EQ(bay.shelves[0].pattern, "vms/{label}");
  EXPECT_EQ(bay.shelves[0].explains, 1U);
  EXPECT_TRUE(bay.unexplained.empty());
}

}  // namespace
}  // namespace bayswap
