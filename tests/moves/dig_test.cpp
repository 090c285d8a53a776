// Saves dug out of states that random programs made: found exactly, or not at all.
#include <gtest/gtest.h>

#include <algorithm>

#include "bayswap/dig.h"
#include "bayswap/state.h"
#include "core/bytes/order.h"
#include "core/packing/packing.h"
#include "core/states/save_search.h"
#include "core/states/whole_save.h"
#include "demo/makers.h"
#include "demo/state_makers.h"
#include "support/card_zoo.h"
#include "support/folder.h"

namespace bayswap {
namespace {

using test::TempFolder;
using test::operator+;

struct Chip {
  const char* layout;
  std::size_t size;
};

/// A program's state with a save in it, made at random.
struct RandomState {
  Chip chip{};
  Bytes older;
  Bytes newer;
  Bytes file;
  std::string how;
};

// A save as games write them: records, text, numbers, filler behind.
Bytes random_save(std::size_t size, test::Numbers& numbers) {
  Bytes save(size, numbers() % 2 == 0 ? std::byte{0xFF} : std::byte{0x00});
  const std::size_t used = size / 4 + numbers() % (size * 3 / 4);
  const std::size_t record = 16 + numbers() % 48;
  for (std::size_t at = 0; at + record <= used; at += record) {
    test::put(save, at, "REC");
    for (std::size_t i = 3; i < record; ++i)
      save[at + i] = numbers() % 3 == 0 ? std::byte{0} : static_cast<std::byte>(numbers() & 0xFFU);
  }
  return save;
}

// Up to three in ten bytes change: scattered, or as a block.
Bytes played(const Bytes& save, unsigned percent, test::Numbers& numbers) {
  Bytes changed = save;
  const std::size_t count = save.size() * percent / 100;
  const bool block = numbers() % 2 == 0;
  const std::size_t start = block ? numbers() % (save.size() - count + 1) : 0;
  for (std::size_t i = 0; i < count; ++i)
    changed[block ? start + i : numbers() % save.size()] =
        static_cast<std::byte>(numbers() & 0xFFU);
  return changed;
}

RandomState random_state(std::uint32_t seed) {
  static const std::vector<Chip> kChips{{"n64-eeprom4k", 512},   {"n64-eeprom16k", 2048},
                                        {"gba-eeprom8k", 8192},  {"snes-battery", 8192},
                                        {"n64-sram", 32'768},    {"gba-flash128", 131'072},
                                        {"nds-battery", 524'288}};
  test::Numbers numbers(seed);
  RandomState made;
  made.chip = kChips[numbers() % kChips.size()];
  made.older = random_save(made.chip.size, numbers);
  const unsigned percent = numbers() % 31;
  made.newer = played(made.older, percent, numbers);
  const std::size_t unit = std::size_t{1} << numbers() % 4;
  Bytes stored = made.newer;
  if (unit > 1) reverse_units(stored, unit);
  const Bytes memory = numbers() % 3 == 0 ? Bytes(40'000 + numbers() % 90'000)
                                          : test::random_bytes(numbers() % 90'000, seed);
  // Work memory that holds a piece of the save, as a running game has.
  Bytes work = test::random_bytes(10'000, seed + 1);
  const std::size_t piece = std::min<std::size_t>(made.newer.size() / 8, 5000);
  std::copy_n(made.newer.begin(), piece, work.begin() + 77);
  const unsigned form = numbers() % 4;
  Bytes content;
  if (form == 0) content = memory + stored + work;
  if (form == 1) content = test::random_bytes(numbers() % 64, seed + 2) + work + stored + memory;
  if (form == 2)
    content =
        demo::sectioned_state("PROGRAM9", {{"WORK", work}, {"DATA", stored}, {"MEMO", memory}});
  if (form == 3)
    content = test::random_bytes(33, seed + 3) + *pack(work, Packing::zlib, "", std::nullopt) +
              *pack(test::random_bytes(9, 1) + stored + memory, Packing::zlib, "", std::nullopt);
  const Packing packing = all_packings()[numbers() % all_packings().size()];
  made.file = *pack(content, packing, "memory", std::nullopt);
  made.how = std::string(made.chip.layout) + ", " + std::to_string(percent) +
             " percent changed, unit " + std::to_string(unit) + ", form " + std::to_string(form) +
             ", " + std::string(to_string(packing));
  return made;
}

TEST(Dig, FindsSavesInRandomStatesExactlyOrNotAtAll) {
  const TempFolder folder;
  auto session = Session::open(disk(), {folder / "config", folder / "data"});
  ASSERT_TRUE(session);
  std::size_t exact = 0;
  std::size_t wrong = 0;
  const auto wanted = static_cast<std::uint32_t>(test::rounds(100));
  for (std::uint32_t round = 0; round < wanted; ++round) {
    const RandomState made = random_state(round + 1);
    DigRequest request;
    request.state = folder.write("game.st0", made.file);
    request.like = folder.write("older.sav", made.older);
    request.is = made.chip.layout;
    request.out = folder / "found.sav";
    request.replace = true;
    const auto dug = dig_state(*session, request);
    ASSERT_TRUE(dug) << made.how << ": " << dug.error().text;
    if (dug->outputs.empty()) {
      std::printf("round %u not found (%s): %s\n", round, made.how.c_str(),
                  dug->stopped ? std::string(to_string(dug->stopped->code)).c_str() : "");
      continue;
    }
    const bool same = test::read(request.out) == made.newer;
    exact += same ? 1 : 0;
    wrong += same ? 0 : 1;
    EXPECT_TRUE(same) << made.how;
  }
  std::printf("%zu of %u found exactly, %zu wrong\n", exact, wanted, wrong);
  EXPECT_EQ(wrong, 0U);
  EXPECT_GE(exact * 100, std::size_t{wanted} * 95);
}

// States of the same programs without the save, or of another game.
TEST(Dig, FindsNothingWhereNothingIs) {
  const TempFolder folder;
  auto session = Session::open(disk(), {folder / "config", folder / "data"});
  ASSERT_TRUE(session);
  const auto wanted = static_cast<std::uint32_t>(test::rounds(40));
  for (std::uint32_t round = 0; round < wanted; ++round) {
    const RandomState made = random_state(round + 1);
    test::Numbers numbers(round + 5000);
    DigRequest request;
    request.state = folder.write("game.st0", made.file);
    request.like = folder.write("older.sav", random_save(made.chip.size, numbers));
    request.is = made.chip.layout;
    request.out = folder / "found.sav";
    const auto dug = dig_state(*session, request);
    ASSERT_TRUE(dug);
    EXPECT_TRUE(dug->outputs.empty()) << made.how;
    ASSERT_TRUE(dug->stopped);
    EXPECT_TRUE(dug->stopped->code == Code::no_match || dug->stopped->code == Code::many_match);
    EXPECT_TRUE(is_missing(disk(), request.out));
  }
}

// The save in two pieces that are not shifted alike: a candidate that has one of them is not all.
TEST(Dig, ASaveInTwoPiecesIsNeverHalfRight) {
  const TempFolder folder;
  auto session = Session::open(disk(), {folder / "config", folder / "data"});
  ASSERT_TRUE(session);
  const Bytes save = test::random_bytes(32'768, 71);
  DigRequest request;
  request.like = folder.write("older.sav", save);
  request.is = "n64-sram";
  request.out = folder / "found.sav";
  request.replace = true;
  // A packed stream whose bytes could not be made smaller holds it in blocks, head by head.
  const Bytes inner = test::random_bytes(1200, 72) + save + Bytes(26'000, std::byte{0});
  request.state = folder.write(
      "a.st0", test::random_bytes(40, 73) + *pack(inner, Packing::zlib, "", std::nullopt));
  const auto packed = dig_state(*session, request);
  ASSERT_TRUE(packed);
  if (!packed->outputs.empty()) {
    EXPECT_TRUE(test::read(request.out) == save);
  }
  for (const std::size_t place : {8U, 20U, 24U, 28U}) {
    const auto at = save.begin() + static_cast<std::ptrdiff_t>(place * 1024);
    const Bytes state = test::random_bytes(900, 74) + Bytes(save.begin(), at) +
                        test::random_bytes(8, 75) + Bytes(at, save.end()) +
                        test::random_bytes(20'000, 76);
    request.state = folder.write("b.st0", state);
    const auto dug = dig_state(*session, request);
    ASSERT_TRUE(dug);
    EXPECT_TRUE(dug->outputs.empty()) << place << " KiB";
  }
}

class DigIn : public testing::Test {
 protected:
  Dug dig(DigRequest request) {
    auto session = Session::open(disk(), {folder_ / "config", folder_ / "data"});
    request.out = folder_ / "found";
    request.replace = true;
    const auto dug = dig_state(*session, request);
    EXPECT_TRUE(dug) << (dug ? "" : dug.error().text);
    return dug ? *dug : Dug{};
  }
  [[nodiscard]] Bytes found() const { return test::read(folder_ / "found"); }
  TempFolder folder_;
};

TEST_F(DigIn, TwoSavesThatDifferAreAChoice) {
  test::Numbers numbers(1);
  const Bytes older = random_save(0x2000, numbers);
  const Bytes one = played(older, 10, numbers);
  const Bytes other = played(older, 20, numbers);
  DigRequest request;
  request.state = folder_.write("a.st0", test::random_bytes(9000, 1) + one + Bytes(777) + other);
  request.like = folder_.write("older.srm", older);
  request.is = "snes-battery";
  const Dug dug = dig(request);
  ASSERT_TRUE(dug.stopped);
  EXPECT_EQ(dug.stopped->code, Code::many_match);
  ASSERT_GE(dug.candidates.size(), 2U);
  EXPECT_EQ(dug.candidates[0].offset, 9000U);
  EXPECT_EQ(dug.candidates[1].offset, 9000U + 0x2000 + 777);
  request.choose = 2;
  EXPECT_FALSE(dig(request).stopped);
  EXPECT_EQ(found(), other);
  // The same save twice is no choice.
  request.choose = 0;
  request.state = folder_.write("a.st0", test::random_bytes(9000, 1) + one + Bytes(777) + one);
  EXPECT_FALSE(dig(request).stopped);
  EXPECT_EQ(found(), one);
}

TEST_F(DigIn, PartsOfAContainerAreFoundEach) {
  test::Numbers numbers(2);
  const Bytes eeprom = random_save(512, numbers);
  const Bytes sram = random_save(0x8000, numbers);
  const Bytes new_eeprom = played(eeprom, 10, numbers);
  const Bytes new_sram = played(sram, 10, numbers);
  const Bytes container = demo::n64_container(eeprom, {}, sram);
  DigRequest request;
  request.state = folder_.write(
      "a.st0", test::random_bytes(3000, 1) + new_sram + test::random_bytes(99, 2) + new_eeprom);
  request.like = folder_.write("older.srm", container);
  request.is = "n64-combined-swap32";
  const Dug dug = dig(request);
  EXPECT_FALSE(dug.stopped) << dug.stopped->text;
  EXPECT_EQ(found(), demo::n64_container(new_eeprom, {}, new_sram));
}

TEST_F(DigIn, ACardIsFoundByItsOwnMarks) {
  for (const char* id :
       {"ps1-card", "ps2-card-ecc", "saturn-bram", "pce-bram", "dc-card", "n64-pak"}) {
    SCOPED_TRACE(id);
    const Bytes card = test::small_card(id);
    DigRequest request;
    request.state = folder_.write("a.st0", test::random_bytes(5004, 1) + card + Bytes(999));
    request.is = id;
    const Dug dug = dig(request);
    ASSERT_FALSE(dug.stopped) << dug.stopped->text;
    EXPECT_EQ(dug.outputs.front().layout, id);
    EXPECT_EQ(found(), card);
  }
}

TEST_F(DigIn, AChipIsFoundByItsSectionOrNotSaid) {
  const Bytes chip = test::random_bytes(0x2000, 3);
  folder_.write("Lantern Drift.sfc", demo::snes_rom("LANTERN DRIFT", 2, 3));
  DigRequest request;
  request.state =
      folder_.write("Lantern Drift.st0",
                    demo::sectioned_state("PROGRAM9", {{"VRAM", Bytes(0x10000)}, {"SRAM", chip}}));
  const Dug dug = dig(request);
  ASSERT_FALSE(dug.stopped) << dug.stopped->text;
  EXPECT_EQ(found(), chip);
  // As large as the chip, but called something else: listed, not written.
  request.state =
      folder_.write("Lantern Drift.st0",
                    demo::sectioned_state("PROGRAM9", {{"VRAM", chip}, {"WORK", Bytes(99)}}));
  const Dug unsure = dig(request);
  ASSERT_TRUE(unsure.stopped);
  EXPECT_EQ(unsure.stopped->code, Code::many_match);
  EXPECT_EQ(unsure.candidates.size(), 1U);
}

TEST_F(DigIn, HostileStatesAreHarmless) {
  test::Numbers numbers(9);
  const RandomState made = random_state(42);
  const int wanted = test::rounds(200);
  auto session = Session::open(disk(), {folder_ / "config", folder_ / "data"});
  DigRequest request;
  request.like = folder_.write("older.sav", made.older);
  request.is = made.chip.layout;
  request.out = folder_ / "found";
  request.replace = true;
  for (int round = 0; round < wanted; ++round) {
    Bytes broken = made.file;
    if (numbers() % 3 == 0) broken.resize(numbers() % broken.size());
    for (unsigned flips = numbers() % 20; flips > 0 && !broken.empty(); --flips)
      broken[numbers() % broken.size()] ^= static_cast<std::byte>(1U << numbers() % 8);
    request.state = folder_.write("a.st0", broken);
    const auto dug = dig_state(*session, request);
    if (!dug) {
      EXPECT_EQ(dug.error().code, Code::damaged);
    }
    (void)read_state(broken, "x");
  }
}

TEST(SaveSearch, EvidenceByHand) {
  // Eight runs, the third one changed, at offset 5, every two bytes reversed.
  Bytes known = test::random_bytes(64, 1);
  Bytes now = known;
  for (std::size_t at = 16; at < 24; ++at) now[at] ^= std::byte{0x55};
  Bytes stored = now;
  for (std::size_t at = 0; at < stored.size(); at += 2) std::swap(stored[at], stored[at + 1]);
  const Bytes where = test::random_bytes(5, 2) + stored + test::random_bytes(30, 3);
  const auto sightings = find_like(where, known);
  ASSERT_FALSE(sightings.empty());
  EXPECT_EQ(sightings[0].offset, 5U);
  EXPECT_EQ(sightings[0].unit, 2U);
  EXPECT_EQ(sightings[0].runs, 8U);
  EXPECT_EQ(sightings[0].runs_agree, 7U);
  std::vector<LikeSave> likes;
  for (const Sighting& place : sightings) likes.push_back({where, place});
  const auto only = only_save(known, likes);
  ASSERT_TRUE(only);
  EXPECT_EQ(bytes_there(where, known.size(), sightings[*only]), now);
  EXPECT_TRUE(find_like(where, test::filled(64, 0)).empty()) << "filler says nothing";
  EXPECT_TRUE(find_like({}, known).empty());
}

}  // namespace
}  // namespace bayswap
