// `cart` as people run it, with the simulated reader as the program at the other end.
#include "demo/makers.h"
#include "support/tool.h"

namespace bayswap {
namespace {

using test::json;
using test::operator+;
using test::read;

class CartTool : public test::Tool {
 protected:
  void SetUp() override {
    test::Tool::SetUp();
    folder_.write("chip/kite.gb", with_checksum(demo::gb_rom("KITE", 0x03, 2)));
    folder_.write("chip/kite.sav", old_);
    folder_.write("new.sav", new_);
  }
  // The sum of all other bytes, big-endian at 0x14E.
  static Bytes with_checksum(Bytes rom) {
    unsigned sum = 0;
    for (std::size_t at = 0; at < rom.size(); ++at)
      if (at != 0x14E && at != 0x14F) sum += static_cast<unsigned>(rom[at]);
    test::put(rom, 0x14E, sum >> 8U & 0xFFU);
    test::put(rom, 0x14F, sum & 0xFFU);
    return rom;
  }
  [[nodiscard]] static std::string port(const std::string& faults = {}) {
    return std::string("run:'") + BAYSWAP_READER + "' chip/kite.gb chip/kite.sav " + faults;
  }
  Bytes chip() { return read(folder_ / "chip/kite.sav"); }

  const Bytes old_ = test::random_bytes(0x1000, 1) + Bytes(0x1000, std::byte{0xFF});
  const Bytes new_ = test::random_bytes(0x1200, 2) + Bytes(0xE00, std::byte{0xFF});
};

TEST_F(CartTool, LooksAndDumps) {
  const json cart = object({"cart", "look", "--port", port()})["cartridge"];
  EXPECT_EQ(cart["system"], "gb");
  EXPECT_EQ(cart["game"]["title"], "KITE");
  EXPECT_EQ(cart["volts_mv"], 5000);
  EXPECT_EQ(cart["chips"], json::parse(R"([{"part": "sram", "size": 8192}])"));
  std::filesystem::create_directory(folder_ / "dumps");
  const json dumped = object({"cart", "dump", "-o", "dumps", "--port", port()});
  ASSERT_EQ(dumped["outputs"].size(), 2U);
  EXPECT_FALSE(dumped["unsure"]);
  EXPECT_EQ(read(folder_ / "dumps/KITE.sav"), old_);
  EXPECT_EQ(read(folder_ / "dumps/KITE.gb"), read(folder_ / "chip/kite.gb"));
  const test::Outcome again = run({"cart", "dump", "rom", "-o", "again.gb", "--port", port()});
  EXPECT_NE(again.out.find("the ROM's own checksum holds"), std::string::npos) << again.out;
  // A second dump overwrites nothing; a save is named as the ROM beside it when asked.
  EXPECT_EQ(object({"cart", "dump", "save", "-o", "dumps", "--port", port()}, 1)["error"]["code"],
            "name-taken");
  std::filesystem::create_directory(folder_ / "roms");
  std::filesystem::copy(folder_ / "chip/kite.gb", folder_ / "roms/Kite Harbour (Europe).gb");
  ASSERT_EQ(run({"cart", "dump", "save", "-o", "roms", "--like-rom", "--port", port()}).status, 0);
  EXPECT_EQ(read(folder_ / "roms/Kite Harbour (Europe).sav"), old_);
}

TEST_F(CartTool, WritesAndTakesBack) {
  EXPECT_EQ(object({"cart", "write", "new.sav", "--plan", "--port", port()})["moves"][0]["status"],
            "planned");
  EXPECT_EQ(chip(), old_);
  const test::Outcome written = run({"cart", "write", "new.sav", "--port", port()});
  EXPECT_EQ(written.status, 0) << written.err;
  EXPECT_NE(written.out.find("safe to take the cartridge out"), std::string::npos);
  EXPECT_EQ(chip(), new_);
  EXPECT_EQ(object({"cart", "write", "new.sav", "--port", port()})["moves"][0]["status"], "done");
  // Undo remembers the port.
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(chip(), old_);
  // And takes another one.
  const test::Outcome third = run({"cart", "write", "new.sav", "--port", port("--third-try")});
  ASSERT_EQ(third.status, 0);
  EXPECT_NE(third.out.find("did not take at first"), std::string::npos) << third.out;
  EXPECT_EQ(chip(), new_);
  std::filesystem::rename(folder_ / "chip/kite.gb", folder_ / "chip/moved.gb");
  EXPECT_EQ(run({"undo"}).status, 4);
  EXPECT_EQ(run({"undo", "--port",
                 std::string("run:'") + BAYSWAP_READER + "' chip/moved.gb chip/kite.sav"})
                .status,
            0);
  EXPECT_EQ(chip(), old_);
  // A restore would need a reader: it says so.
  EXPECT_EQ(run({"restore", "cartridge:gb/KITE/save", "--at", "v2"}).status, 1);
}

TEST_F(CartTool, ChecksStopBeforeAnythingIsWritten) {
  folder_.write("Moss/Moss.gb", demo::gb_rom("MOSS", 0x03, 2));
  folder_.write("Moss/Moss.sav", new_);
  folder_.write("blank.sav", Bytes(0x2000, std::byte{0xFF}));
  folder_.write("large.sav", test::random_bytes(0x8000, 5));
  const auto code = [&](const std::string& save) {
    const json moves = object({"cart", "write", save, "--port", port()}, 1)["moves"];
    for (const json& check : moves[0]["checks"])
      if (check["level"] == "error") return std::string(check["code"]);
    return std::string();
  };
  EXPECT_EQ(code("Moss/Moss.sav"), "other-game");
  EXPECT_EQ(code("blank.sav"), "blank-source");
  EXPECT_EQ(code("large.sav"), "chip-differs");
  EXPECT_EQ(chip(), old_);
  // What history knows as older.
  ASSERT_EQ(run({"cart", "write", "new.sav", "--port", port()}).status, 0);
  folder_.write("older.sav", old_);
  EXPECT_EQ(code("older.sav"), "newer-there");
  EXPECT_EQ(chip(), new_);
  EXPECT_EQ(run({"cart", "write", "older.sav", "--accept", "newer-there", "--port", port()}).status,
            0);
  EXPECT_EQ(chip(), old_);
}

TEST_F(CartTool, AWriteThatDoesNotTakeIsSaid) {
  const json ignored =
      object({"cart", "write", "new.sav", "--port", port("--ignored 1000")}, 5)["error"];
  EXPECT_EQ(ignored["code"], "write-failed");
  EXPECT_NE(std::string(ignored["text"]).find("the old save is back"), std::string::npos);
  EXPECT_EQ(chip(), old_);
  // The cartridge is pulled in the middle: neither save is on it, and both are in history.
  const json pulled =
      object({"cart", "write", "new.sav", "--port", port("--pull-after 80")}, 5)["error"];
  EXPECT_NE(std::string(pulled["text"]).find("neither the old save nor the new one"),
            std::string::npos)
      << pulled;
  EXPECT_NE(chip(), old_);
  EXPECT_NE(chip(), new_);
  ASSERT_EQ(run({"undo", "--port", port()}).status, 0);
  EXPECT_EQ(chip(), old_);
}

TEST_F(CartTool, ASlotThatIsEmptyOrWronglySwitchedIsSaid) {
  const std::string empty = std::string("run:'") + BAYSWAP_READER + "' --empty";
  EXPECT_EQ(object({"cart", "look", "--port", empty}, 4)["error"]["code"], "no-cartridge");
  EXPECT_EQ(object({"cart", "look", "--port", port("--switch --volts 3300")}, 4)["error"]["code"],
            "wrong-volts");
  EXPECT_EQ(object({"cart", "look", "--port", "run:/nowhere/reader"}, 4)["error"]["code"],
            "link-lost");
  EXPECT_EQ(object({"cart", "look", "--port", "run:'open"}, 2)["error"]["code"], "usage");
  EXPECT_EQ(object({"cart", "look", "--port", "pty:new.sav"}, 2)["error"]["code"], "usage");
}

TEST_F(CartTool, WaitsForTheSwitch) {
  const test::Outcome waited =
      run({"cart", "look", "--wait", "--port", port("--switch --volts 3300 --switch-after 6")});
  EXPECT_EQ(waited.status, 0) << waited.err;
  EXPECT_NE(waited.err.find("move the reader's switch to 5.0 V"), std::string::npos);
}

// Another cartridge in the middle of a write: the old one holds neither save, and that is said; the
// other one is not touched.
TEST_F(CartTool, ACartridgeThatIsSwappedIsNoticed) {
  folder_.write("other.gb", with_checksum(demo::gb_rom("MOSS", 0x03, 2)));
  const json swapped = object(
      {"cart", "write", "new.sav", "--port", port("--swap-after 80 --other other.gb")}, 5)["error"];
  EXPECT_EQ(swapped["code"], "other-cartridge");
  EXPECT_NE(std::string(swapped["text"]).find("neither the old save nor the new one"),
            std::string::npos);
  EXPECT_EQ(run({"undo", "--port", port()}).status, 0);
  EXPECT_EQ(chip(), old_);
}

// A reader's bay is synced when it is named.
TEST_F(CartTool, IsKeptInStepWhenItIsNamed) {
  folder_.write("home/Kite (Europe).gb", read(folder_ / "chip/kite.gb"));
  folder_.write("home/Kite (Europe).sav", old_, 40);
  ASSERT_EQ(run({"bay", "learn", "home", "home"}).status, 0);
  ASSERT_EQ(run({"bay", "learn", "slot", "--port", port()}).status, 0);
  EXPECT_EQ(object({"sync", "home", "slot"})["in_step"], 2);
  folder_.write("home/Kite (Europe).sav", new_, 30);
  EXPECT_EQ(object({"sync", "home", "slot"})["carried"].size(), 1U);
  EXPECT_EQ(chip(), new_);
  // Played on the cartridge.
  const Bytes played = test::random_bytes(0x1100, 8) + Bytes(0xF00, std::byte{0xFF});
  folder_.write("chip/kite.sav", played);
  EXPECT_EQ(object({"sync", "home", "slot"})["carried"].size(), 1U);
  EXPECT_EQ(read(folder_ / "home/Kite (Europe).sav"), played);
}

TEST_F(CartTool, DirtyContactsAreNeverAGoodDump) {
  int good = 0;
  for (int seed = 0; seed < 6; ++seed) {
    const std::string faults = "--flips 100 --chunk 512 --seed " + std::to_string(seed);
    std::filesystem::remove(folder_ / "d.sav");
    const test::Outcome dumped =
        run({"cart", "dump", "save", "-o", "d.sav", "--replace", "--port", port(faults)});
    if (dumped.status == 0) {
      ++good;
      EXPECT_EQ(read(folder_ / "d.sav"), old_);
    } else {
      EXPECT_EQ(dumped.status, 3);
      EXPECT_FALSE(std::filesystem::exists(folder_ / "d.sav"));
    }
  }
  std::printf("%d of 6 dumps good\n", good);
}

// Stopped in the middle of a ROM: what was read is kept beside, and the next run goes on.
TEST_F(CartTool, AnInterruptedDumpGoesOn) {
  Bytes rom = with_checksum(demo::gb_rom("KITE", 0x03, 2));
  folder_.write("chip/kite.gb", rom);
  const test::Outcome lost = run(
      {"cart", "dump", "rom", "-o", "new/kite.gb", "--port", port("--pull-after 60 --chunk 512")});
  EXPECT_EQ(lost.status, 4);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "new/kite.gb"));
  ASSERT_TRUE(std::filesystem::exists(folder_ / "new/kite.gb.part")) << lost.err;
  const test::Outcome done = run({"cart", "dump", "rom", "-o", "new/kite.gb", "--port", port()});
  EXPECT_EQ(done.status, 0) << done.err;
  EXPECT_NE(done.out.find("goes on where the last run stopped"), std::string::npos);
  EXPECT_EQ(read(folder_ / "new/kite.gb"), rom);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "new/kite.gb.part"));
}

// Somebody's own file of that name stays, and so does the part of another cartridge.
TEST_F(CartTool, APartOfADumpTakesNoOthersPlace) {
  const Bytes own = test::bytes({1, 2, 3});
  folder_.write("other.gb.part", own);
  const auto dump = [&](const std::string& faults) {
    return run({"cart", "dump", "rom", "-o", "other.gb", "--port", port(faults)}).status;
  };
  EXPECT_EQ(dump("--pull-after 60 --chunk 512"), 4);
  EXPECT_EQ(read(folder_ / "other.gb.part"), own);
  const Bytes part = read(folder_ / "other.gb.part-2");
  EXPECT_GT(part.size(), 0x1000U);
  folder_.write("chip/kite.gb", with_checksum(demo::gb_rom("KITE TWO", 0x03, 2)));
  EXPECT_EQ(dump(""), 0);
  EXPECT_EQ(read(folder_ / "other.gb"), read(folder_ / "chip/kite.gb"));
  EXPECT_EQ(read(folder_ / "other.gb.part"), own);
  EXPECT_EQ(read(folder_ / "other.gb.part-2"), part);
  EXPECT_FALSE(std::filesystem::exists(folder_ / "other.gb.part-3"));
}

// The clock is dumped with the save, and left as it runs by a write.
TEST_F(CartTool, AClockIsDumpedAndNeverWritten) {
  folder_.write("chip/kite.gb", with_checksum(demo::gb_rom("KITE", 0x10, 2)));
  const json dumped = object({"cart", "dump", "save", "-o", "clock.sav", "--port", port()});
  EXPECT_EQ(dumped["outputs"][0]["layout"], "gb-battery-clock48");
  const Bytes file = read(folder_ / "clock.sav");
  ASSERT_EQ(file.size(), 0x2000U + 48);
  EXPECT_TRUE(std::ranges::equal(ByteView(file).first(0x2000), old_));
  Bytes registers(20, std::byte{0});  // half past ten on the fifth day
  test::put(registers, 4, test::bytes({30}));
  test::put(registers, 8, test::bytes({10}));
  test::put(registers, 12, test::bytes({5}));
  EXPECT_TRUE(std::ranges::equal(ByteView(file).subspan(0x2000, 20), registers));
  folder_.write("new.sav", new_ + Bytes(file.begin() + 0x2000, file.end()));
  const test::Outcome written = run({"cart", "write", "new.sav", "--port", port()});
  EXPECT_EQ(written.status, 0) << written.err;
  EXPECT_NE(written.out.find("the clock on the cartridge is left as it runs"), std::string::npos)
      << written.out;
  EXPECT_EQ(chip(), new_);
}

// A carry to a reader tells of bad contacts as `cart write` does.
TEST_F(CartTool, ACarryTellsWhatTookOnlyLater) {
  folder_.write("place/KITE.sav", new_);
  folder_.write("place/KITE.gb", read(folder_ / "chip/kite.gb"));
  ASSERT_EQ(run({"bay", "learn", "place", "place"}).status, 0);
  ASSERT_EQ(run({"bay", "learn", "slot", "--port", port("--third-try")}).status, 0);
  const test::Outcome carried = run({"carry", "place:KITE", "--to", "slot"});
  EXPECT_EQ(carried.status, 0) << carried.out << carried.err;
  EXPECT_NE(carried.out.find("did not take at first"), std::string::npos) << carried.out;
  EXPECT_EQ(chip(), new_);
}

// CTRL-C in the middle of a write: the old save comes back. A signal that comes too early or too
// late leaves the old one or the new one; there is never a mixture.
TEST_F(CartTool, StoppedInTheMiddleOfAWrite) {
  for (const char* seconds : {"0.5", "1.5", "2.5"}) {
    folder_.write("chip/kite.sav", old_);
    const test::Outcome stopped = test::run_program(
        {"timeout", "--preserve-status", "-s", "INT", seconds, BAYSWAP_TOOL, "cart", "write",
         "new.sav", "--port", port("--rate 20000 --chunk 256")},
        folder_.path(),
        {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1"});
    EXPECT_TRUE(chip() == (stopped.status == 0 ? new_ : old_))
        << seconds << " s: " << stopped.status << " " << stopped.err;
  }
}

TEST_F(CartTool, APseudoTerminalIsAPort) {
  const std::string script = std::string("'") + BAYSWAP_READER +
                             "' chip/kite.gb chip/kite.sav --pty >port.txt & reader=$!\n"
                             "while [ ! -s port.txt ]; do sleep 0.1; done\n'" +
                             BAYSWAP_TOOL +
                             "' cart dump save -o pty.sav --port \"$(cat port.txt)\"\n"
                             "status=$?; kill $reader; exit $status";
  const test::Outcome dumped = test::run_program(
      {"sh", "-c", script}, folder_.path(),
      {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1"});
  EXPECT_EQ(dumped.status, 0) << dumped.err;
  EXPECT_EQ(read(folder_ / "pty.sav"), old_);
}

// A reader is a bay like any other: saves are carried from it and to it, kept and looked at.
TEST_F(CartTool, AReaderIsABay) {
  ASSERT_EQ(run({"bay", "learn", "slot", "--port", port()}).status, 0);
  EXPECT_EQ(object({"bay", "show", "slot"})["bays"][0]["port"], port());
  EXPECT_EQ(object({"cart", "look", "--port", "slot"})["cartridge"]["system"], "gb");
  const json item = object({"look", "slot"})["items"][0];
  EXPECT_EQ(item["system"], "gb");
  EXPECT_EQ(item["game"]["title"], "KITE");
  // A place with the game.
  folder_.write("home/Kite (Europe).gb", read(folder_ / "chip/kite.gb"));
  folder_.write("home/Kite (Europe).sav", new_, 40);
  folder_.write("home/Moss (Europe).gb", demo::gb_rom("MOSS", 0x03, 2));
  folder_.write("home/Moss (Europe).sav", test::random_bytes(0x2000, 7), 40);
  ASSERT_EQ(run({"bay", "learn", "home", "home"}).status, 0);
  // From the cartridge.
  const json planned = object({"carry", "slot:", "--to", "home", "--plan"})["moves"][0];
  EXPECT_EQ(planned["status"], "planned");
  EXPECT_EQ(object({"carry", "slot:", "--to", "home"})["moves"][0]["status"], "done");
  EXPECT_EQ(read(folder_ / "home/Kite (Europe).sav"), old_);
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(read(folder_ / "home/Kite (Europe).sav"), new_);
  EXPECT_EQ(object({"carry", "--from", "slot", "--all", "--to", "home"})["moves"][0]["status"],
            "done");
  // To the cartridge, and back.
  folder_.write("home/Kite (Europe).sav", new_);
  EXPECT_EQ(object({"carry", "home:Moss", "--to", "slot"}, 1)["moves"][0]["status"], "stopped");
  EXPECT_EQ(object({"carry", "home:Kite", "--to", "slot", "--plan"})["moves"][0]["status"],
            "planned");
  EXPECT_EQ(chip(), old_);
  EXPECT_EQ(object({"carry", "home:Kite", "--to", "slot"})["moves"][0]["status"], "done");
  EXPECT_EQ(chip(), new_);
  EXPECT_EQ(object({"carry", "home:Kite", "--to", "slot"})["moves"][0]["status"], "done");
  ASSERT_EQ(run({"undo"}).status, 0);
  EXPECT_EQ(chip(), old_);
  ASSERT_EQ(run({"keep", "slot", "--reason", "before the trip"}).status, 0);
  EXPECT_NE(run({"history"}).out.find("cartridge:gb/KITE/save"), std::string::npos);
  // Nothing answers: nothing is changed anywhere.
  std::filesystem::rename(folder_ / "chip/kite.gb", folder_ / "chip/gone.gb");
  EXPECT_EQ(run({"carry", "home:Kite", "--to", "slot"}).status, 4);
  EXPECT_EQ(run({"carry", "slot:", "--to", "home"}).status, 4);
  EXPECT_EQ(run({"keep", "slot"}).status, 4);
  EXPECT_EQ(run({"look", "slot"}).status, 4);
}

}  // namespace
}  // namespace bayswap
