// The catalog, a whole bay in one table, and carrying in bulk, as a person uses them.
#include <gmock/gmock.h>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using testing::HasSubstr;
using testing::Not;

class Lists : public test::Tool {};

TEST_F(Lists, AGameIsAddedAndShown) {
  const json added = object({"catalog", "add", "Moss & Motor", "--system", "gba", "--chip",
                             "flash128", "--code", "europe=BMMP", "--code", "japan=BMMJ"});
  EXPECT_EQ(added["games"][0]["codes"]["europe"], "BMMP");
  const json shown = object({"catalog", "show", "moss"});
  ASSERT_EQ(shown["games"].size(), 1U);
  EXPECT_EQ(shown["games"][0]["chip"], "flash128");
  EXPECT_EQ(object({"catalog", "show", "BMMJ", "--system", "gba"})["games"].size(), 1U);
  EXPECT_EQ(object({"catalog", "show", "--system", "snes"})["games"].size(), 0U);
  EXPECT_THAT(run({"catalog", "show"}).out, HasSubstr("Moss & Motor"));
  EXPECT_EQ(object({"catalog", "add", "moss & motor", "--system", "gba"}, 1)["error"]["code"],
            "name-taken");
  EXPECT_EQ(run({"catalog", "add", "X", "--system", "nonsense"}).status, 2);
  EXPECT_EQ(run({"catalog", "add", "X", "--system", "gba", "--code", "BMMP"}).status, 2);
  EXPECT_EQ(run({"catalog", "show", "nothing like it"}).status, 0);
}

TEST_F(Lists, AListIsImportedAndTellsRoms) {
  const Bytes rom = test::random_bytes(2048, 5);
  folder_.write("shelf/dune.bin", rom);
  EXPECT_NE(object({"look", "shelf/dune.bin"})["items"][0].value("kind", ""), "rom");
  folder_.write("list.xml",
                "<datafile><game name=\"Dune Semaphore (Europe)\"><rom name=\"d\" "
                "size=\"2048\" sha1=\"" +
                    hex_text(sha1(rom)) + "\"/></game></datafile>");
  EXPECT_EQ(run({"catalog", "import", "list.xml"}).status, 2) << "no system is said";
  const json done = object({"catalog", "import", "list.xml", "--system", "a2600"});
  EXPECT_EQ(done["games"], 1);
  const json item = object({"look", "shelf/dune.bin"})["items"][0];
  EXPECT_EQ(item["kind"], "rom");
  EXPECT_EQ(item["system"], "a2600");
  EXPECT_EQ(item["game"]["title"], "Dune Semaphore");
  EXPECT_EQ(item["game"]["region"], "europe");
  folder_.write("broken.xml", std::string("<datafile><game"));
  EXPECT_EQ(object({"catalog", "import", "broken.xml", "--system", "gb"}, 3)["error"]["code"],
            "bad-list");
  EXPECT_EQ(object({"catalog", "import", "missing.xml"}, 3)["error"]["code"], "missing");
}

TEST_F(Lists, ABayIsOneTable) {
  folder_.write("den/saves/left.card", test::read(folder_ / "downloads/failed.card"));
  const auto shown = run({"look", "den"});
  EXPECT_EQ(shown.status, 3) << "one of them is damaged";
  EXPECT_THAT(shown.out, HasSubstr("n64\n"));
  EXPECT_THAT(shown.out, HasSubstr("Copper Tide"));
  EXPECT_THAT(shown.out, HasSubstr("damaged"));
  EXPECT_THAT(shown.out, HasSubstr("5 ROMs"));
  // The command that mends it names the file.
  EXPECT_THAT(shown.out, HasSubstr("card mend den/saves/left.card"));
  EXPECT_LT(shown.out.find("Copper Tide"), shown.out.find("findings"));
  const auto one = run({"look", "den/saves/Copper Tide (America).srm"});
  EXPECT_THAT(one.out, Not(HasSubstr("findings")));
}

TEST_F(Lists, CarryingAllIsSummedUp) {
  const auto plan = run({"carry", "--all", "--from", "reader", "--to", "den", "--plan"});
  EXPECT_THAT(plan.out, HasSubstr("would move"));
  const auto done = run({"carry", "--all", "--from", "reader", "--to", "den"});
  EXPECT_THAT(done.out, HasSubstr("✓ moved"));
  EXPECT_THAT(done.out, HasSubstr("Copper Tide"));
  EXPECT_THAT(done.out, HasSubstr("undo"));
  const auto again = run({"carry", "--all", "--from", "reader", "--to", "den"});
  EXPECT_THAT(again.out, HasSubstr("already there"));
  EXPECT_THAT(again.out, Not(HasSubstr("✓ moved")));
}

}  // namespace
}  // namespace bayswap
