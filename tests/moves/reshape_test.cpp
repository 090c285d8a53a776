#include "bayswap/reshape.h"

#include "core/bytes/order.h"
#include "demo/makers.h"
#include "support/golden_cards.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::filled;
using test::operator+;
using test::random_bytes;
using test::read;

class Reshape : public test::WorldTest {
 protected:
  Result<Reshaped> run(const ReshapeRequest& request) {
    Session session = open();
    return reshape(session, request);
  }
  ReshapeRequest request(std::vector<std::string> inputs, std::vector<std::string> as) {
    ReshapeRequest made;
    for (const std::string& input : inputs) made.inputs.emplace_back(folder_ / input);
    made.as = std::move(as);
    made.out = folder_ / "out";
    return made;
  }
};

TEST_F(Reshape, SplitsAndJoinsAContainer) {
  Bytes container = filled(0x48800, 0xFF);
  test::put(container, 0, random_bytes(512, 1));
  test::put(container, 0x8800, demo::pak_with_note("NGPE", "BS", 2));
  test::put(container, 0x20800, random_bytes(0x8000, 3));
  test::put(container, 0x28800, random_bytes(0x20000, 4));
  folder_.write("game.srm", container);
  for (const std::string id : {"n64-combined", "n64-combined-swap32"}) {
    auto split = request({"game.srm"}, {});
    split.is = {id};
    split.split = true;
    split.replace = true;
    const auto parts = run(split);
    ASSERT_TRUE(parts) << parts.error().text;
    ASSERT_EQ(parts->outputs.size(), 4U);
    EXPECT_EQ(read(folder_ / "out/game.eeprom"), Bytes(container.begin(), container.begin() + 512));
    auto join =
        request({"out/game.flash", "out/game.pak2", "out/game.eeprom", "out/game.sram"}, {id});
    join.is = {"n64-flash", "n64-pak", "n64-eeprom4k", "n64-sram"};
    join.out = folder_ / "joined.srm";
    join.replace = true;
    const auto joined = run(join);
    ASSERT_TRUE(joined) << joined.error().text;
    EXPECT_EQ(read(folder_ / "joined.srm"), container) << id;
  }
}

TEST_F(Reshape, WritesSeveralLayoutsIntoAFolder) {
  folder_.write("g.srm", demo::n64_container(random_bytes(512, 1), {}, random_bytes(0x8000, 2)));
  const auto done = run(request({"g.srm"}, {"n64-eeprom4k", "n64-sram"}));
  ASSERT_TRUE(done);
  ASSERT_EQ(done->outputs.size(), 2U);
  EXPECT_EQ(read(folder_ / "out/g.sram"), random_bytes(0x8000, 2));
}

TEST_F(Reshape, StopsAtLossesAndWritesNothing) {
  folder_.write("g.srm", demo::n64_container(random_bytes(512, 1), {}, random_bytes(0x8000, 2)));
  auto one = request({"g.srm"}, {"n64-sram"});
  auto stopped = run(one);
  ASSERT_TRUE(stopped && stopped->stopped);
  EXPECT_EQ(stopped->stopped->code, Code::loses_parts);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "out"));
  one.accept = {Code::loses_parts};
  stopped = run(one);
  ASSERT_TRUE(stopped && !stopped->stopped);
  EXPECT_EQ(read(folder_ / "out"), random_bytes(0x8000, 2));
}

TEST_F(Reshape, ImitatesAFileAndProvesIt) {
  const Bytes mould =
      demo::n64_container(random_bytes(512, 5), demo::pak_with_note("NCTE", "BS", 6),
                          random_bytes(0x8000, 7)) +
      random_bytes(33, 8);
  folder_.write("mould.srm", mould);
  auto onto_itself = request({"mould.srm"}, {"n64-combined-swap32"});
  onto_itself.like = folder_ / "mould.srm";
  onto_itself.is = {"n64-combined-swap32"};
  ASSERT_TRUE(run(onto_itself));
  EXPECT_EQ(read(folder_ / "out"), mould);
  folder_.write("chip.sra", random_bytes(0x8000, 9));
  auto chip = request({"chip.sra"}, {});
  chip.is = {"n64-sram"};
  chip.like = folder_ / "mould.srm";
  chip.out = folder_ / "made.srm";
  ASSERT_TRUE(run(chip));
  const Bytes made = read(folder_ / "made.srm");
  EXPECT_EQ(made.size(), mould.size());
  EXPECT_TRUE(std::equal(made.begin(), made.begin() + 0x20800, mould.begin()));
  EXPECT_NE(made, mould);
}

TEST_F(Reshape, ReadsOrderAndHeaderOffTheMould) {
  const Bytes old = random_bytes(0x8000, 20);
  Bytes newer = old;
  for (std::size_t i = 0; i < newer.size(); i += 100) newer[i] = std::byte{1};
  Bytes swapped_old = old;
  Bytes swapped_newer = newer;
  reverse_units(swapped_old, 4);
  reverse_units(swapped_newer, 4);
  const Bytes header = random_bytes(300, 21);
  folder_.write("mould.bin", header + swapped_old);
  folder_.write("newer.sra", newer);
  auto wanted = request({"newer.sra"}, {});
  wanted.is = {"n64-sram"};
  wanted.like = folder_ / "mould.bin";
  const auto done = run(wanted);
  ASSERT_TRUE(done) << done.error().text;
  EXPECT_EQ(done->outputs.at(0).layout, "n64-sram-swap32");
  EXPECT_EQ(read(folder_ / "out"), header + swapped_newer);
}

TEST_F(Reshape, DropsAnUnknownTrailerWithANote) {
  folder_.write("t.sav", random_bytes(0x2000 + 17, 1));
  auto plain = request({"t.sav"}, {"snes-battery"});
  const auto done = run(plain);
  ASSERT_TRUE(done && !done->stopped);
  EXPECT_TRUE(has_code(done->findings, Code::trailer_dropped));
  EXPECT_EQ(read(folder_ / "out").size(), 0x2000U);
}

TEST_F(Reshape, RefusesWhatItCannotKnowOrWrite) {
  folder_.write("x.sav", random_bytes(0x20000, 1));
  const auto code = [&](const ReshapeRequest& wanted) {
    const auto done = run(wanted);
    if (!done) return std::string(to_string(done.error().code));
    return done->stopped ? std::string(to_string(done->stopped->code)) : std::string();
  };
  folder_.write("empty.sav", Bytes{});
  folder_.write("odd.sav", random_bytes(12'345, 1));
  EXPECT_EQ(code(request({"nowhere"}, {"n64-sram"})), "missing");
  EXPECT_EQ(code(request({"empty.sav"}, {"n64-sram"})), "empty-file");
  EXPECT_EQ(code(request({"odd.sav"}, {"n64-sram"})), "unknown");
  EXPECT_EQ(code(request({"x.sav"}, {"n64-wram"})), "unknown-layout");
  EXPECT_EQ(code(request({"den"}, {"n64-sram"})), "unreadable");
  auto wrong = request({"x.sav"}, {"n64-eeprom4k"});
  wrong.is = {"n64-sram"};
  EXPECT_EQ(code(wrong), "no-match");
  auto taken = request({"x.sav"}, {"n64-flash-swap32"});
  taken.out = folder_ / "odd.sav";
  EXPECT_EQ(code(taken), "name-taken");
  EXPECT_EQ(read(folder_ / "odd.sav"), random_bytes(12'345, 1));
  EXPECT_EQ(code(ReshapeRequest{}), "usage");
}

// A save with a clock is two files: its memory, and the clock as programs keep it beside.
TEST_F(Reshape, SplitWritesTheClockToo) {
  Bytes clock(48);
  clock[0] = clock[20] = std::byte{41};
  clock[8] = clock[28] = std::byte{6};
  test::put_le(clock, 40, 1'700'000'000, 8);
  const Bytes ram = test::random_bytes(0x2000, 3);
  folder_.write("split/Tin.gb", demo::gb_rom("TIN", 0x10, 2));
  folder_.write("split/Tin.sav", ram + clock);
  ReshapeRequest wanted;
  wanted.inputs = {folder_ / "split/Tin.sav"};
  wanted.split = true;
  wanted.out = folder_ / "split/out";
  Session session = open();
  const auto written = reshape(session, wanted);
  ASSERT_TRUE(written) << written.error().text;
  ASSERT_EQ(written->outputs.size(), 2U);
  EXPECT_TRUE(test::read(folder_ / "split/out/Tin.sram") == ram);
  EXPECT_TRUE(test::read(folder_ / "split/out/Tin.clock") == clock);
}

// A file for a larger chip, and back to the chip's own size.
TEST_F(Reshape, FilesOfAnotherSize) {
  const Bytes chip = random_bytes(0x2000, 5);
  folder_.write("Kite.gb", demo::gb_rom("KITE", 0x03, 2));
  folder_.write("Kite.sav", chip);
  auto larger = request({"Kite.sav"}, {});
  larger.file_size = 0x8000;
  ASSERT_FALSE(run(larger)->stopped);
  EXPECT_EQ(read(folder_ / "out"), chip + filled(0x6000, 0xFF));
  std::filesystem::rename(folder_ / "out", folder_ / "large.sav");
  auto back = request({"large.sav"}, {"gb-battery"});
  back.rom = folder_ / "Kite.gb";
  back.file_size = 0x2000;
  ASSERT_FALSE(run(back)->stopped);
  EXPECT_EQ(read(folder_ / "out"), chip);
  // What holds something is not cut off.
  back.file_size = 0x800;
  back.replace = true;
  const auto cut = run(back);
  ASSERT_TRUE(cut && cut->stopped);
  EXPECT_EQ(cut->stopped->code, Code::loses_parts);
  EXPECT_EQ(read(folder_ / "out"), chip);
  back.file_size = 0;
  EXPECT_EQ(run(back).error().code, Code::usage);
  back.file_size = 0x8000;
  back.as = {"gb-battery", "gb-battery-rtc"};
  EXPECT_FALSE(run(back));
}

}  // namespace
}  // namespace bayswap
