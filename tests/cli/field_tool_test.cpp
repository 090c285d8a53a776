// `field` as people run it: on files, on a card, in a container, in an archive, on a cartridge, and
// on saves that are damaged or not what the map is for.
#include "demo/field_makers.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::Outcome;
using test::read;

class FieldTool : public test::Tool {
 protected:
  void SetUp() override {
    test::Tool::SetUp();
    std::filesystem::create_directories(folder_ / "xdg/config/bayswap/maps");
    for (const auto& entry : std::filesystem::directory_iterator(folder_ / "own/config/maps"))
      std::filesystem::copy(entry.path(), folder_ / "xdg/config/bayswap/maps");
  }
  std::string value(const std::string& save, const std::string& path,
                    std::vector<std::string> more = {}) {
    std::vector<std::string> words{"field", "show", save, path};
    words.insert(words.end(), more.begin(), more.end());
    const json shown = object(words);
    return shown.at("fields").at(0).at("value").get<std::string>();
  }
  const std::string book_ = "workshop/Tin Orchard.sav";
};

TEST_F(FieldTool, ShowsTheDemoSaves) {
  EXPECT_EQ(value(book_, "pickers[1].name"), "Marlow");
  EXPECT_EQ(value(book_, "oil"), "7");
  EXPECT_EQ(value("workshop/Moss & Motor.sav", "moss"), "14.4");
  EXPECT_EQ(value("workshop/Lantern Drift.srm", "party[2].home"), "1 (Sandle)");
  EXPECT_EQ(value("workshop/Ember Atlas.sav", "scout"), "TOVE");
  for (const char* save :
       {"Tin Orchard.sav", "Moss & Motor.sav", "Lantern Drift.srm", "Ember Atlas.sav"})
    EXPECT_EQ(run({"field", "check", std::string("workshop/") + save}).status, 0) << save;
  const Outcome table = run({"field", "show", book_, "pickers"});
  EXPECT_NE(table.out.find("[1]      Marlow  10"), std::string::npos) << table.out;
}

TEST_F(FieldTool, SetsSeveralValuesOrNone) {
  const Bytes before = read(folder_ / book_);
  const json planned = object({"field", "set", book_, "baskets=77", "--plan"});
  EXPECT_EQ(planned.at("moves").at(0).at("status"), "planned");
  EXPECT_EQ(read(folder_ / book_), before);
  EXPECT_EQ(run({"field", "set", book_, "baskets=77", "weather=snow"}).status, 2);
  EXPECT_EQ(read(folder_ / book_), before) << "none of them was set";
  const json done = object({"field", "set", book_, "baskets=77", "weather=storm"});
  EXPECT_EQ(done.at("changes").size(), 2U);
  // By hand: 41 was 0029, 77 is 004D; the sums grow by 36 and by one of the weather.
  Bytes wanted = before;
  const auto add = [&](std::size_t at, int more) {
    const int value =
        std::to_integer<int>(wanted[at]) * 256 + std::to_integer<int>(wanted[at + 1]) + more;
    wanted[at] = static_cast<std::byte>(value >> 8 & 0xFF);
    wanted[at + 1] = static_cast<std::byte>(value & 0xFF);
  };
  add(0x24, 36);
  wanted[0x22] = std::byte{2};
  const int first = std::to_integer<int>(wanted[0x10]) + std::to_integer<int>(wanted[0x11]);
  add(0x10, 37);
  add(0x12, std::to_integer<int>(wanted[0x10]) + std::to_integer<int>(wanted[0x11]) - first);
  int digits = 0;
  for (std::size_t at = 0x10; at < 0x14; ++at) digits += std::to_integer<int>(wanted[at]);
  wanted[0x14] = static_cast<std::byte>(~digits >> 8 & 0xFF);
  wanted[0x15] = static_cast<std::byte>(~digits & 0xFF);
  EXPECT_EQ(read(folder_ / book_), wanted);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(read(folder_ / book_), before);
}

TEST_F(FieldTool, RefusesWhatTheGameWouldNotHold) {
  const Bytes before = read(folder_ / book_);
  const json refused = object({"field", "set", book_, "pickers[1].wage=41"}, 1);
  ASSERT_EQ(refused.at("not_legal").size(), 2U);
  EXPECT_EQ(refused.at("not_legal").at(0).at("rule"), "pay list");
  EXPECT_EQ(refused.at("not_legal").at(0).at("legal"), "for example 0, 5, 10 and 25");
  EXPECT_EQ(read(folder_ / book_), before);
  EXPECT_EQ(object({"field", "set", book_, "baskets=1500"}, 1).at("not_legal").at(0).at("legal"),
            "0 to 999");
  object({"field", "set", book_, "baskets=1500", "--accept", "not-legal"});
  EXPECT_EQ(value(book_, "baskets"), "1500");
  const json checked = object({"field", "check", book_}, 3);
  EXPECT_EQ(checked.at("broken").at(0).at("path"), "baskets");
  EXPECT_EQ(run({"field", "set", book_, "baskets=1600"}).status, 1)
      << "it is another value that is not legal";
  EXPECT_TRUE(object({"field", "set", book_, "baskets=1500"}, 0).at("nothing_to_do"));
}

TEST_F(FieldTool, SealsWhatSomebodyElseEdited) {
  Bytes edited = read(folder_ / book_);
  edited[0x25] = std::byte{50};
  folder_.write(book_, edited, 3);
  EXPECT_EQ(object({"field", "check", book_}, 3).at("checksums").at("wrong").size(), 1U);
  object({"field", "seal", book_});
  EXPECT_EQ(run({"field", "check", book_}).status, 0);
  EXPECT_EQ(value(book_, "baskets"), "50");
  EXPECT_TRUE(object({"field", "seal", book_}).at("nothing_to_do"));
}

TEST_F(FieldTool, GoesOnInTheNextCopy) {
  const std::string log = "workshop/Moss & Motor.sav";
  const Bytes before = read(folder_ / log);
  object({"field", "set", log, "moss=100"});
  const Bytes after = read(folder_ / log);
  EXPECT_TRUE(std::equal(before.begin() + 0x8000, before.end(), after.begin() + 0x8000))
      << "the old copy stays";
  const json checked = object({"field", "check", log});
  EXPECT_TRUE(checked.at("copies").at(0).at("counts").get<bool>());
  EXPECT_EQ(checked.at("copies").at(0).at("counter"), 20);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(read(folder_ / log), before);
}

TEST_F(FieldTool, ChangesASaveInsideOfOthers) {
  // In a zip: only as a copy.
  ASSERT_EQ(
      test::run_program({"/usr/bin/bsdtar", "-a", "-cf", "book.zip", book_}, folder_.path(), {})
          .status,
      0);
  const std::string inside = "book.zip:" + book_;
  EXPECT_EQ(value(inside, "baskets"), "41");
  const Outcome packed = run({"field", "set", inside, "baskets=50"});
  EXPECT_EQ(packed.status, 2);
  EXPECT_NE(packed.err.find("-o OUT"), std::string::npos) << packed.err;
  object({"field", "set", inside, "baskets=50", "-o", "copy.sav"});
  EXPECT_EQ(value("copy.sav", "baskets"), "50");
  EXPECT_EQ(value(inside, "baskets"), "41");
  EXPECT_EQ(run({"field", "set", inside, "baskets=60", "-o", "copy.sav"}).status, 1)
      << "it is there";

  // A save on a card, and a part of a container, with maps of their own.
  folder_.write(
      "card.toml",
      "bayswap = \"field map\"\nversion = 1\n[fits]\nsystem = \"ps1\"\n[[field]]\nname = \"mark\"\n"
      "at = 0x1F0\ntype = \"u16\"\n[[checksum]]\nname = \"sum\"\nat = 0x1F2\ntype = \"u8\"\nkind = "
      "\"sum\"\n"
      "over = [{ field = \"mark\" }]\n");
  const json card = object({"card", "show", "den/cards/left.card"}).at("items").at(0);
  const std::string save =
      "den/cards/left.card:" + card.at("saves").at(0).at("name").get<std::string>();
  const Bytes card_before = read(folder_ / "den/cards/left.card");
  object({"field", "set", save, "mark=513", "--map", "card.toml"});
  EXPECT_EQ(value(save, "mark", {"--map", "card.toml"}), "513");
  EXPECT_EQ(run({"field", "check", save, "--map", "card.toml"}).status, 0);
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(read(folder_ / "den/cards/left.card"), card_before);

  folder_.write(
      "chip.toml",
      "bayswap = \"field map\"\nversion = 1\n[fits]\nsystem = \"n64\"\npart = \"sram\"\n[[field]]\n"
      "name = \"mark\"\nat = 4\ntype = \"u32\"\norder = \"big\"\n");
  const std::string container = "den/saves/Copper Tide (America).srm";
  const Bytes container_before = read(folder_ / container);
  object({"field", "set", container, "mark=1", "--map", "chip.toml"});
  const Bytes changed = read(folder_ / container);
  EXPECT_EQ(changed.size(), container_before.size());
  std::size_t differing = 0;
  for (std::size_t i = 0; i < changed.size(); ++i)
    differing += changed[i] != container_before[i] ? 1 : 0;
  EXPECT_LE(differing, 4U) << "only the field changed, in the container's own byte order";
  EXPECT_EQ(value(container, "mark", {"--map", "chip.toml"}), "1");
  object({"field", "set", container + ":sram", "mark=2", "--map", "chip.toml"});
  EXPECT_EQ(value(container, "mark", {"--map", "chip.toml"}), "2");
  EXPECT_EQ(run({"field", "show", container + ":eeprom", "--map", "chip.toml"}).status, 1);
}

TEST_F(FieldTool, ChangesTheCartridgeInAReader) {
  const std::string port = "run:'" + std::string(BAYSWAP_READER) + "' '" +
                           at("workshop/Tin Orchard.gb") + "' '" + at(book_) + "'";
  ASSERT_EQ(run({"bay", "learn", "slot", "--port", port}).status, 0);
  const Bytes before = read(folder_ / book_);
  const json done = object({"field", "set", "slot:", "baskets=90"});
  EXPECT_EQ(done.at("moves").at(0).at("status"), "done") << done;
  EXPECT_EQ(value(book_, "baskets"), "90");
  EXPECT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(read(folder_ / book_), before);
}

TEST_F(FieldTool, TellsChangesInFields) {
  object({"field", "set", book_, "oil=0", "baskets=43"});
  const json history = object({"history", book_});
  const std::string text = run({"history", book_}).out;
  EXPECT_NE(text.find("lamp oil 7 to 0 l and baskets 41 to 43"), std::string::npos) << text;
  ASSERT_EQ(history.at("saves").size(), 1U);
  folder_.write("older/Tin Orchard.gb", read(folder_ / "workshop/Tin Orchard.gb"), 1);
  folder_.write("older/Tin Orchard.sav", demo::orchard_book(), 30);
  const json differs = object({"field", "diff", "older/Tin Orchard.sav", book_});
  ASSERT_EQ(differs.at("changes").size(), 2U);
  EXPECT_EQ(differs.at("changes").at(1).at("after"), "43");
  const std::string looked = run({"look", "workshop/Tin Orchard.sav", "older/Tin Orchard.sav"}).out;
  EXPECT_NE(looked.find("baskets  43 → 41"), std::string::npos) << looked;
}

TEST_F(FieldTool, MovesAStructureBetweenSaves) {
  folder_.write("other/Tin Orchard.gb", read(folder_ / "workshop/Tin Orchard.gb"), 1);
  folder_.write("other/Tin Orchard.sav", demo::orchard_book(), 9);
  ASSERT_EQ(run({"field", "take", book_, "trees[4]", "-o", "tree.bin"}).status, 0);
  EXPECT_EQ(read(folder_ / "tree.bin"), test::bytes({3, 12, 1, 0x36}));
  EXPECT_EQ(run({"field", "take", book_, "trees[4]", "-o", "tree.bin"}).status, 1) << "it is there";
  object({"field", "put", "other/Tin Orchard.sav", "trees[3]", "tree.bin"});
  EXPECT_EQ(value("other/Tin Orchard.sav", "trees[3].kind"), "quince");
  EXPECT_EQ(run({"field", "check", "other/Tin Orchard.sav"}).status, 0);
  EXPECT_EQ(run({"field", "put", "other/Tin Orchard.sav", "pickers[0]", "tree.bin"}).status, 3)
      << "another size";
}

TEST_F(FieldTool, FindsValuesAndGuessesSums) {
  object({"field", "set", book_, "chest=8461", "-o", "later.sav"});
  const json found =
      object({"field", "find", book_, "later.sav", "--value", "60", "--then", "8461"});
  EXPECT_EQ(found.at("found").at(0).at("what").get<std::string>().substr(0, 6), "0x0026") << found;
  EXPECT_EQ(run({"field", "find", book_, "--value", "60", "--then", "8"}).status, 2);
  EXPECT_EQ(run({"field", "find", book_, "--value", "Marlow", "--text"}).status, 0);
  const json guessed = object({"field", "guess", "workshop/older/Tin Orchard.sav", book_});
  EXPECT_EQ(guessed.at("found").at(0).at("what"), "0x0010  sum of 8 bits over 0x20 to 0x7f")
      << guessed;
}

TEST_F(FieldTool, SaysWhyAMapDoesNotFit) {
  const Outcome none = run({"field", "show", "den/saves/Copper Tide (America).srm"});
  EXPECT_EQ(none.status, 1);
  EXPECT_NE(none.err.find("--map FILE"), std::string::npos) << none.err;
  folder_.write("xdg/config/bayswap/maps/broken.toml",
                "bayswap = \"field map\"\nversion = 1\n[fits]\nsystem = \"gb\"\nsizes = \"8\"\n");
  EXPECT_EQ(value(book_, "oil"), "7") << "another's map is not a matter";
  const Outcome broken =
      run({"field", "show", book_, "--map", at("xdg/config/bayswap/maps/broken.toml")});
  EXPECT_EQ(broken.status, 3);
  EXPECT_NE(broken.err.find("line 5"), std::string::npos) << broken.err;
  EXPECT_EQ(run({"field", "show", book_, "nothing"}).status, 1);
  EXPECT_EQ(run({"field", "show", "workshop/Tin Orchard.gb"}).status, 3);
  std::filesystem::copy(folder_ / "xdg/config/bayswap/maps/tin-orchard.toml",
                        folder_ / "xdg/config/bayswap/maps/second.toml");
  const Outcome several = run({"field", "show", book_});
  EXPECT_EQ(several.status, 1);
  EXPECT_NE(several.err.find("many-match"), std::string::npos) << several.err;
}

TEST_F(FieldTool, ShowsConflictsInFields) {
  std::filesystem::create_directories(folder_ / "stick");
  const auto on = [&](const std::string& device, std::vector<std::string> words) {
    words.insert(words.begin(), BAYSWAP_TOOL);
    return test::run_program(
        words, folder_.path(),
        {"XDG_CONFIG_HOME=" + at(device + "-xdg/config"),
         "XDG_DATA_HOME=" + at(device + "-xdg/data"), "HOME=" + at(device), "NO_COLOR=1"});
  };
  for (const std::string device : {"one", "two"}) {
    folder_.write(device + "/Tin Orchard.gb", read(folder_ / "workshop/Tin Orchard.gb"), 1);
    Bytes book = demo::orchard_book();
    book[0x25] = static_cast<std::byte>(device == "one" ? 50 : 60);
    folder_.write(device + "/Tin Orchard.sav", book, 9);
    std::filesystem::create_directories(folder_ / (device + "-xdg/config/bayswap/maps"));
    std::filesystem::copy(folder_ / "own/config/maps/tin-orchard.toml",
                          folder_ / (device + "-xdg/config/bayswap/maps"));
    ASSERT_EQ(on(device, {"bay", "learn", device, device}).status, 0);
    ASSERT_EQ(on(device, {"hub", "join", "stick", "--as", device}).status, 0);
  }
  EXPECT_EQ(on("one", {"sync"}).status, 0);
  const Outcome conflict = on("two", {"sync"});
  EXPECT_EQ(conflict.status, 1);
  EXPECT_NE(conflict.out.find("baskets"), std::string::npos) << conflict.out;
}

}  // namespace
}  // namespace bayswap
