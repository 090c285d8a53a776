// Dumps and writes through a simulated reader, with everything going wrong.
#include <gtest/gtest.h>

#include <map>

#include "readers/cartridge.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/memory_transport.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

using demo::ReaderFaults;
using demo::ReaderTraits;
using demo::SimulatedCartridge;
using demo::SimulatedReader;

SimulatedCartridge cartridge_of(System system, const std::string& kind, std::size_t size,
                                std::uint64_t page, std::uint64_t erase_page, std::uint32_t seed) {
  SimulatedCartridge cartridge;
  cartridge.system = system;
  cartridge.rom = test::random_bytes(0x8000, seed);
  cartridge.chips = {{"save", kind, test::random_bytes(size, seed + 1), page, erase_page}};
  return cartridge;
}

Link link_to(SimulatedReader& reader, std::uint16_t first = 77) {
  return {std::make_unique<test::MemoryTransport>(reader), first};
}

TEST(Cartridges, AreDumpedAndWritten) {
  for (const auto& [system, kind, page, erase_page] :
       {std::tuple{System::snes, "sram", 1U, 0U}, std::tuple{System::gba, "flash", 128U, 4096U},
        std::tuple{System::n64, "eeprom", 8U, 0U}}) {
    SimulatedReader reader(cartridge_of(system, kind, 0x2000, page, erase_page, 5), {}, {});
    auto cartridge = Cartridge::open(link_to(reader));
    ASSERT_TRUE(cartridge) << cartridge.error().text;
    EXPECT_EQ(cartridge->system(), system);
    const CartridgeArea save = *cartridge->area("save");
    const auto dump = cartridge->dump(save);
    ASSERT_TRUE(dump) << dump.error().text;
    EXPECT_EQ(dump->bytes, reader.cartridge()->chips[0].bytes);
    EXPECT_TRUE(dump->unsure.empty());
    Bytes wanted = dump->bytes;
    test::put(wanted, 0x700, test::random_bytes(300, 9));
    const auto outcome = cartridge->write(save, dump->bytes, wanted);
    ASSERT_TRUE(outcome) << outcome.error().text;
    EXPECT_EQ(outcome->end, WriteEnd::done);
    EXPECT_EQ(reader.cartridge()->chips[0].bytes, wanted);
    if (page == 8) {
      EXPECT_LE(outcome->pages_written, 40U) << "only pages that differ are written";
    }
  }
}

TEST(Cartridges, ASizeThatNobodyTellsIsFoundByRepeating) {
  SimulatedCartridge game = cartridge_of(System::snes, "sram", 0x800, 1, 0, 3);
  game.rom = test::random_bytes(0x40000, 4);
  game.rom_size_told = false;
  SimulatedReader reader(game, {}, {});
  auto cartridge = Cartridge::open(link_to(reader));
  ASSERT_TRUE(cartridge);
  const auto dump = cartridge->dump(*cartridge->area("rom"));
  ASSERT_TRUE(dump) << dump.error().text;
  EXPECT_TRUE(dump->size_by_repeat);
  EXPECT_EQ(dump->bytes, game.rom);
}

class Store final : public DumpStore {
 public:
  Result<void> put(std::uint64_t at, ByteView piece) override {
    if (at + piece.size() > room) return fail(Trouble::place, Code::no_room, "full");
    bytes.resize(std::max<std::size_t>(bytes.size(), at + piece.size()));
    std::ranges::copy(piece, bytes.begin() + static_cast<std::ptrdiff_t>(at));
    return {};
  }
  Result<void> get(std::uint64_t at, std::span<std::byte> into) override {
    std::ranges::copy(ByteView(bytes).subspan(at, into.size()), into.begin());
    return {};
  }
  Bytes bytes;
  std::uint64_t room = ~0ULL;
};

// What an earlier run has read is read once more only for the second reading; a mistake in it
// shows.
TEST(Cartridges, ADumpGoesOnFromWhatIsKnown) {
  const SimulatedCartridge game = cartridge_of(System::gba, "sram", 0x8000, 1, 0, 3);
  for (const bool wrong : {false, true}) {
    SimulatedReader reader(game, {}, {});
    auto cartridge = Cartridge::open(link_to(reader));
    ASSERT_TRUE(cartridge);
    Store store;
    store.bytes = Bytes(game.rom.begin(), game.rom.begin() + 0x5123);
    if (wrong) store.bytes[0x2345] ^= std::byte{1};
    DumpOptions how;
    how.known = store.bytes.size();
    Bytes seen;
    how.first_reading = [&](ByteView piece) {
      seen.insert(seen.end(), piece.begin(), piece.end());
    };
    const auto asked = reader.worked();
    const auto dump = cartridge->dump_into(store, *cartridge->area("rom"), how);
    ASSERT_TRUE(dump) << dump.error().text;
    EXPECT_EQ(store.bytes, game.rom);
    EXPECT_EQ(seen == game.rom, !wrong);
    EXPECT_TRUE(dump->unsure.empty());
    EXPECT_EQ(dump->readings, wrong ? 3U : 2U);
    // 0x5000 of 0x8000 bytes are known, in chunks of 1 KiB; the page that differs is read again.
    EXPECT_EQ(reader.worked() - asked, (wrong ? 1U : 0U) + 12 + 32);
  }
}

TEST(Cartridges, AFullStoreEndsADump) {
  SimulatedReader reader(cartridge_of(System::gba, "sram", 0x8000, 1, 0, 3), {}, {});
  auto cartridge = Cartridge::open(link_to(reader));
  ASSERT_TRUE(cartridge);
  Store store;
  store.room = 0x3000;
  const auto dump = cartridge->dump_into(store, *cartridge->area("rom"));
  ASSERT_FALSE(dump);
  EXPECT_EQ(dump.error().code, Code::no_room);
  // The reader is not lost by it.
  EXPECT_TRUE(cartridge->dump(*cartridge->area("save")));
}

TEST(Cartridges, AChipThatNobodyTellsTheSizeOf) {
  for (const std::size_t size : {512U, 2048U, 0x8000U}) {
    SimulatedCartridge game = cartridge_of(System::snes, "sram", size, 1, 0, 3);
    game.chips[0].size_told = false;
    SimulatedReader reader(game, {}, {});
    auto cartridge = Cartridge::open(link_to(reader));
    ASSERT_TRUE(cartridge);
    const auto found = cartridge->size_by_repeat(*cartridge->area("save"));
    ASSERT_TRUE(found) << found.error().text;
    EXPECT_EQ(*found, size);
  }
  // A blank chip is alike everywhere.
  SimulatedCartridge blank = cartridge_of(System::snes, "sram", 2048, 1, 0, 3);
  blank.chips[0].size_told = false;
  blank.chips[0].bytes = test::filled(2048, 0xFF);
  SimulatedReader reader(blank, {}, {});
  auto cartridge = Cartridge::open(link_to(reader));
  ASSERT_TRUE(cartridge);
  EXPECT_EQ(cartridge->size_by_repeat(*cartridge->area("save")).error().code, Code::wrong_size);
}

TEST(Cartridges, NeverGetTheWrongVoltage) {
  ReaderTraits traits;
  traits.volts_by_switch = true;
  SimulatedReader reader(cartridge_of(System::gba, "sram", 0x8000, 1, 0, 3), traits, {});
  const auto refused = Cartridge::open(link_to(reader));
  ASSERT_FALSE(refused);
  EXPECT_EQ(refused.error().code, Code::wrong_volts);
  EXPECT_FALSE(reader.harmed());
  int asked = 0;
  CartridgeWatch watch;
  watch.wait_for_switch = [&](int millivolts) {
    EXPECT_EQ(millivolts, 3300);
    if (++asked == 3) reader.move_switch(millivolts);
    return true;
  };
  EXPECT_TRUE(Cartridge::open(link_to(reader), watch));
  EXPECT_EQ(asked, 3);
  EXPECT_FALSE(reader.harmed());
  SimulatedReader empty(std::nullopt, {}, {});
  EXPECT_EQ(Cartridge::open(link_to(empty)).error().code, Code::no_cartridge);
}

TEST(Cartridges, AWriteThatTakesAtTheThirdTryIsNoticed) {
  ReaderFaults faults;
  faults.third_try = true;
  SimulatedReader reader(cartridge_of(System::snes, "sram", 0x800, 16, 0, 3), {}, faults);
  auto cartridge = Cartridge::open(link_to(reader));
  ASSERT_TRUE(cartridge);
  const CartridgeArea save = *cartridge->area("save");
  const Bytes before = reader.cartridge()->chips[0].bytes;
  const Bytes wanted = test::random_bytes(0x800, 8);
  const auto outcome = cartridge->write(save, before, wanted);
  ASSERT_TRUE(outcome);
  EXPECT_EQ(outcome->end, WriteEnd::done);
  EXPECT_EQ(reader.cartridge()->chips[0].bytes, wanted);
  EXPECT_EQ(outcome->pages_written, 3U * 0x80);
}

TEST(Cartridges, WhatIsLostAtPowerOffIsWrittenAgain) {
  ReaderFaults faults;
  faults.loses_buffers = true;
  SimulatedReader reader(cartridge_of(System::snes, "sram", 0x800, 16, 0, 3), {}, faults);
  auto cartridge = Cartridge::open(link_to(reader));
  ASSERT_TRUE(cartridge);
  const Bytes before = reader.cartridge()->chips[0].bytes;
  Bytes wanted = before;
  test::put(wanted, 0x7F0, test::random_bytes(16, 8));
  const auto outcome = cartridge->write(*cartridge->area("save"), before, wanted);
  ASSERT_TRUE(outcome);
  // The last page is lost each time: the old content is what remains, and the tool says so.
  EXPECT_EQ(outcome->end, WriteEnd::restored);
  EXPECT_EQ(outcome->wrong_pages, std::vector<std::uint64_t>{0x7F});
  EXPECT_EQ(reader.cartridge()->chips[0].bytes, before);
}

// No dump is called good that is wrong, no write is called done that is not on the cartridge after
// power off, and no cartridge has neither save without an error.
TEST(Cartridges, RandomSessionsWithRandomFaults) {
  const int wanted = test::rounds(800);
  std::map<std::string, int> counts;
  for (int round = 0; round < wanted; ++round) {
    SCOPED_TRACE("session " + std::to_string(round));
    test::Numbers numbers(static_cast<std::uint32_t>(round) + 1);
    const auto often = [&](unsigned most) { return numbers() % 3 == 0 ? numbers() % most : 0; };
    ReaderFaults faults;
    faults.seed = numbers();
    faults.lost = often(80);
    faults.doubled = often(100);
    faults.damaged = often(80);
    faults.delayed = often(50);
    faults.reordered = often(50);
    faults.flips = often(numbers() % 4 == 0 ? 700 : 30);
    faults.ignored = often(300);
    faults.third_try = numbers() % 8 == 0;
    faults.loses_buffers = numbers() % 8 == 0;
    if (numbers() % 8 == 0) faults.stall_after = numbers() % 150;
    if (numbers() % 8 == 0) faults.pull_after = numbers() % 150;
    struct Kind {
      System system;
      const char* chip;
      std::size_t size;
      std::uint64_t page;
      std::uint64_t erase_page;
    };
    static constexpr std::array<Kind, 5> kKinds{{{System::gb, "sram", 0x800, 64, 0},
                                                 {System::snes, "sram", 0x800, 1024, 0},
                                                 {System::gba, "flash", 0x2000, 128, 1024},
                                                 {System::n64, "eeprom", 512, 8, 0},
                                                 {System::n64, "flash", 0x1000, 128, 128}}};
    const Kind& kind = kKinds[numbers() % kKinds.size()];
    const auto game =
        cartridge_of(kind.system, kind.chip, kind.size, kind.page, kind.erase_page, numbers());
    if (numbers() % 8 == 0) {
      faults.swap_after = numbers() % 150;
      faults.other =
          cartridge_of(kind.system, kind.chip, kind.size, kind.page, kind.erase_page, numbers());
    }
    ReaderTraits traits;
    traits.chunk = std::array<std::size_t, 3>{64, 512, 4096}[numbers() % 3];
    SimulatedReader reader(game, traits, faults);
    auto cartridge = Cartridge::open(link_to(reader, static_cast<std::uint16_t>(numbers())));
    EXPECT_FALSE(reader.harmed());
    if (!cartridge) {
      ++counts["not opened"];
      continue;
    }
    // Whichever cartridge is in the slot now, the save has to be of the one that was opened.
    const Bytes& header = cartridge->header();
    const SimulatedCartridge& opened =
        std::equal(header.begin(), header.begin() + 4096, game.rom.begin()) ? game : *faults.other;
    const CartridgeArea save = *cartridge->area("save");
    const auto dump = cartridge->dump(save);
    if (!dump || !dump->unsure.empty()) {
      ++counts["not dumped"];
      continue;
    }
    EXPECT_EQ(dump->bytes, opened.chips[0].bytes) << "a wrong dump is called good";
    ++counts["dumped"];
    Bytes played = dump->bytes;
    for (unsigned i = 0; i < 1 + numbers() % 200; ++i)
      played[numbers() % played.size()] = static_cast<std::byte>(numbers() & 0xFFU);
    const auto outcome = cartridge->write(save, dump->bytes, played);
    const bool same_in = reader.cartridge() && reader.cartridge()->rom == opened.rom;
    const Bytes now = same_in ? reader.cartridge()->chips[0].bytes : Bytes{};
    if (!outcome) {
      ++counts["write ended with an error"];
    } else if (outcome->end == WriteEnd::done) {
      ++counts["written"];
      ASSERT_TRUE(same_in);
      reader.power_off();
      EXPECT_EQ(reader.cartridge()->chips[0].bytes, played) << "called done, and not there";
    } else if (outcome->end == WriteEnd::restored) {
      ++counts["restored"];
      ASSERT_TRUE(same_in);
      reader.power_off();
      EXPECT_EQ(reader.cartridge()->chips[0].bytes, dump->bytes) << "called restored";
      EXPECT_FALSE(outcome->wrong_pages.empty());
    } else {
      ++counts["broken, and said so"];
    }
  }
  for (const auto& [what, count] : counts) std::printf("%s: %d\n", what.c_str(), count);
  EXPECT_GT(counts["written"], wanted / 10);
}

}  // namespace
}  // namespace bayswap
