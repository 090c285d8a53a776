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

// The box is put together by hand: letters, size, a chip of 8 KiB, and the sum of its bytes.
TEST_F(Examples, OwnLayout) {
  Bytes chip(8192, std::byte{0});
  for (std::size_t i = 0; i < 100; ++i) chip[i] = static_cast<std::byte>(i);  // sum 4950: 0x56
  Bytes box = test::bytes({'B', 'O', 'X', 'D', 0x00, 0x20});
  box.insert(box.end(), chip.begin(), chip.end());
  box.push_back(std::byte{0x56});
  folder_.write("save.box", box);
  const auto out = run("own_layout", {"save.box", "save.sav", "nes-battery"});
  EXPECT_EQ(out.out, "nes-box: its letters and its sum\n") << out.err;
  EXPECT_EQ(test::read(folder_ / "save.sav"), chip);
  EXPECT_EQ(run("own_layout", {"save.sav", "again.box", "nes-box"}).status, 0);
  EXPECT_EQ(test::read(folder_ / "again.box"), box);
  for (const std::size_t size : {box.size() - 1, std::size_t{7}, std::size_t{6}, std::size_t{4}}) {
    folder_.write("cut.box", Bytes(box.begin(), box.begin() + static_cast<std::ptrdiff_t>(size)));
    EXPECT_EQ(run("own_layout", {"cut.box", "x", "nes-battery"}).out.find("nes-box"),
              std::string::npos)
        << size;
  }
}

TEST_F(Examples, OwnStorage) {
  const auto outcome = run("own_storage", {"reader/LANTERN DRIFT.srm", "scratch"});
  EXPECT_EQ(outcome.status, 0) << outcome.err;
  EXPECT_NE(outcome.out.find("done: /device/LANTERN DRIFT.srm"), std::string::npos) << outcome.out;
  EXPECT_EQ(outcome.out.find(" 0 of them in use"), outcome.out.rfind(" 0 of them in use"));
  EXPECT_TRUE(outcome.out.ends_with(" 0 of them in use\n")) << outcome.out;
}

TEST_F(Examples, ProgressAndCancel) {
  const auto stopped = run("progress_and_cancel", {"den", "scratch", "2"});
  EXPECT_EQ(stopped.status, 130) << stopped.err;
  EXPECT_EQ(std::ranges::count(stopped.out, '\n'), 3) << stopped.out;
  const auto whole = run("progress_and_cancel", {"den", "scratch"});
  EXPECT_EQ(whole.status, 0) << whole.err;
  EXPECT_NE(whole.out.find(" saves kept, "), std::string::npos) << whole.out;
}

}  // namespace
}  // namespace bayswap
