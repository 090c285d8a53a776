#include "built_paths.h"
#include "support/program.h"
#include "support/world.h"

namespace bayswap {
namespace {

class Examples : public test::WorldTest {
 protected:
  test::Outcome run(const std::string& name, std::vector<std::string> words) {
    words.insert(words.begin(), std::string(BAYSWAP_EXAMPLES) + "/" + name);
    return test::run_program(words, folder_.path(), {});
  }
};

TEST_F(Examples, TellWhatAFileIs) {
  EXPECT_NE(run("what_is_it", {"den/saves/Copper Tide (America).srm"})
                .out.find("n64-combined-swap32: certain"),
            std::string::npos);
  EXPECT_NE(
      run("what_is_it", {"ferry/gb/Tin Orchard (Europe).gb"}).out.find("a gb ROM: TIN ORCHARD"),
      std::string::npos);
}

TEST_F(Examples, ConvertOne) {
  EXPECT_EQ(run("convert_one",
                {"reader/Copper Tide (America).sra", "n64-sram", "swapped", "n64-sram-swap32"})
                .status,
            0);
  EXPECT_EQ(run("convert_one", {"swapped", "n64-sram-swap32", "back", "n64-sram"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "back"), test::read(folder_ / "reader/Copper Tide (America).sra"));
  EXPECT_EQ(run("convert_one",
                {"ferry/gb/Tin Orchard (Europe).sav", "gb-battery-clock44", "x", "gb-battery"})
                .status,
            1);
}

TEST_F(Examples, CarryAndUndo) {
  const auto before = test::snapshot(folder_ / "den");
  const auto outcome =
      run("carry_and_undo", {"ferry/gb/Tin Orchard (Europe).sav", "ferry", "den", "scratch"});
  EXPECT_EQ(outcome.status, 0) << outcome.err;
  EXPECT_NE(outcome.out.find("planned:"), std::string::npos);
  EXPECT_EQ(test::snapshot(folder_ / "den"), before);
}

}  // namespace
}  // namespace bayswap
