// The small cards against bytes assembled by hand.
#include <gtest/gtest.h>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "support/card_zoo.h"

namespace bayswap {
namespace {

using test::operator+;

// n64 controller pak

test::PakNote post() {
  // POST-1.A, in scattered pages.
  return {"NGPE", "BS",        {0x29, 0x28, 0x2C, 0x2D, 0x3B, 0x11},
          {0x1A}, {9, 127, 5}, test::random_bytes(768, 1)};
}

test::PakNote kana() {
  return {"NCTJ", "BS", {0x5F, 0x8B, 0x0F, 0x45, 0x94}, {}, {6}, test::random_bytes(256, 2)};
}

TEST(N64Pak, ReadsNotesInTheConsolesOwnCode) {
  const CardLayout& layout = test::card_layout("n64-pak");
  const Bytes golden = test::golden_pak({post(), kana()});
  EXPECT_TRUE(layout.validate(golden).empty());
  const auto card = layout.open(golden);
  ASSERT_TRUE(card);
  EXPECT_TRUE(card->findings.empty());
  EXPECT_EQ(card->blocks_total, 123U);
  EXPECT_EQ(card->blocks_free, 119U);
  ASSERT_EQ(card->saves.size(), 2U);
  const Save& first = card->saves[0].save;
  EXPECT_EQ(first.name, "POST-1.A");
  EXPECT_EQ(first.game.code, "NGPE");
  EXPECT_EQ(first.game.maker, "BS");
  EXPECT_EQ(first.game.region, Region::america);
  EXPECT_EQ(first.parts[0].data, post().data);
  EXPECT_EQ(card->saves[0].blocks, (std::vector<std::uint32_t>{4, 122, 0}));
  EXPECT_EQ(card->saves[1].save.name, "タバ ァポ");
  EXPECT_EQ(identify(golden, {}).front().layout->info().id, "n64-pak");
}

TEST(N64Pak, WritesWhatAConsoleWould) {
  const CardLayout& layout = test::card_layout("n64-pak");
  const Bytes empty = test::golden_pak({});
  Save save = layout.open(test::golden_pak({post()}))->saves.at(0).save;
  const auto put = layout.change(empty, {{}, {save}});
  ASSERT_TRUE(put);
  test::PakNote there = post();
  there.pages = {5, 6, 7};
  EXPECT_EQ(put->bytes, test::golden_pak({there}));
  // Deleting clears the entry and its pages' places in both tables; the data stays.
  Bytes dropped = test::golden_pak({});
  test::put(dropped, 5 * 256, there.data);
  EXPECT_EQ(layout.change(put->bytes, {{0}, {}})->bytes, dropped);
  // A new name in the console's letters.
  save.name = "ワタシ 2.Z9";
  const auto named = layout.change(empty, {{}, {save}});
  ASSERT_TRUE(named);
  EXPECT_EQ(test::part_of(named->bytes, 0x310, 7),
            test::bytes({0x7B, 0x5F, 0x5B, 0x0F, 0x12, 0, 0}));
  EXPECT_EQ(test::part_of(named->bytes, 0x30C, 4), test::bytes({0x33, 0x19, 0, 0}));
  save.name = "$";
  EXPECT_EQ(layout.change(empty, {{}, {save}}).error().code, Code::no_match);
  save.name = "ABCDEFGHIJKLMNOPQ";
  EXPECT_EQ(layout.change(empty, {{}, {save}}).error().code, Code::no_match);
}

TEST(N64Pak, TheCopyOfTheTableCounts) {
  const CardLayout& layout = test::card_layout("n64-pak");
  Bytes pak = test::golden_pak({post(), kana()});
  test::put(pak, 0x100 + 9 * 2 + 1, 77U);
  const auto card = layout.open(pak);
  ASSERT_TRUE(card);
  EXPECT_TRUE(has_code(card->findings, Code::spare_lost));
  EXPECT_FALSE(has_error(card->findings));
  EXPECT_EQ(card->saves[0].save.parts[0].data, post().data);
  EXPECT_EQ(mend(layout, pak)->bytes, test::golden_pak({post(), kana()}));
  // A table of zeros has the right sum, and still is none.
  Bytes zeros = test::golden_pak({post(), kana()});
  test::put(zeros, 0x100, test::filled(256, 0));
  EXPECT_EQ(layout.open(zeros)->saves[0].save.parts[0].data, post().data);
  EXPECT_EQ(mend(layout, zeros)->bytes, test::golden_pak({post(), kana()}));
  // Three broken copies of the id are a warning, four an error.
  Bytes ids = test::golden_pak({kana()});
  for (const std::size_t at : {0x20U, 0x60U, 0x80U}) test::put(ids, at + 0x1C, 0xEEU);
  EXPECT_FALSE(has_error(layout.validate(ids)));
  EXPECT_EQ(mend(layout, ids)->bytes, test::golden_pak({kana()}));
  test::put(ids, 0xC0 + 0x1C, 0xEEU);
  EXPECT_TRUE(has_error(layout.validate(ids)));
  EXPECT_EQ(mend(layout, ids)->saves.at(0).state, RescueState::whole);
}

TEST(N64Pak, AnErasedOneIsFormattedOnTheWay) {
  const CardLayout& layout = test::card_layout("n64-pak");
  for (const unsigned erased : {0x00U, 0xFFU}) {
    const Bytes pak = test::filled(32768, erased);
    EXPECT_FALSE(has_error(layout.validate(pak)));
    EXPECT_TRUE(has_code(layout.open(pak)->findings, Code::unformatted));
    const Save save = layout.open(test::golden_pak({kana()}))->saves.at(0).save;
    const auto put = layout.change(pak, {{}, {save}});
    ASSERT_TRUE(put);
    EXPECT_TRUE(layout.validate(put->bytes).empty());
    EXPECT_TRUE(same_card_save(layout.open(put->bytes)->saves.at(0).save, save));
  }
}

TEST(N64Pak, IsAPartOfACartridgeToo) {
  const Layout& layout = test::card_layout("n64-pak");
  const Bytes pak = test::golden_pak({post()});
  const auto content = layout.read(pak, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(content->saves.at(0).kind, Kind::battery);
  EXPECT_EQ(content->saves.at(0).parts.at(0), (Part{"pak1", pak, false, {}}));
  EXPECT_EQ(layout.write({content->saves, std::nullopt, {}})->bytes, pak);
}

TEST(N64PakNote, StandsBehindItsEntry) {
  const Layout& layout = **find_layout("n64-pak-note");
  const Bytes golden = test::golden_pak({post()});
  const Bytes file = test::part_of(golden, 0x300, 32) + post().data;
  EXPECT_EQ(identify(file, {}).front().layout, &layout);
  auto content = layout.read(file, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(content->saves.at(0).name, "POST-1.A");
  EXPECT_EQ(layout.write({content->saves, std::nullopt, {}})->bytes, file);
  EXPECT_FALSE(layout.read(test::part_of(file, 0, file.size() - 1), {}));
  EXPECT_FALSE(layout.read(test::filled(288, 0), {}));
  EXPECT_EQ(relabelled(content->saves.at(0), "NGPP")->game.region, Region::europe);
}

// dc card

test::DcSave cup() {
  return {"REGATTA_CUP", 0x33, {199, 150, 198}, test::dc_data(1, 800, 3)};
}

TEST(DcCard, ReadsHeadersTimesAndChains) {
  const CardLayout& layout = test::card_layout("dc-card");
  const test::DcSave game{"REGATTA_GAME", 0xCC, {0, 1, 2, 3}, test::dc_data(1, 700, 4, true)};
  const Bytes golden = test::golden_dc({cup(), game});
  EXPECT_TRUE(layout.validate(golden).empty()) << layout.validate(golden).front().text;
  const auto card = layout.open(golden);
  ASSERT_TRUE(card);
  EXPECT_TRUE(card->findings.empty());
  EXPECT_EQ(card->blocks_total, 200U);
  EXPECT_EQ(card->blocks_free, 193U);
  ASSERT_EQ(card->saves.size(), 2U);
  const CardSave& first = card->saves[0];
  EXPECT_EQ(first.save.name, "REGATTA_CUP");
  EXPECT_EQ(first.save.comment, "SAVED GAME\nPocket Regatta, day 3");
  EXPECT_EQ(first.save.parts[0].data, cup().data);
  EXPECT_EQ(first.blocks, (std::vector<std::uint32_t>{199, 150, 198}));
  EXPECT_TRUE(first.findings.empty());
  // 2026-03-14 15:09:26
  EXPECT_EQ(*first.save.modified, Time{std::chrono::seconds{1773500966}});
  EXPECT_TRUE(card->saves[1].findings.empty());
  EXPECT_EQ(card->saves[1].save.comment, "SAVED GAME\nPocket Regatta, day 3");
}

TEST(DcCard, FillsDataFromTheEndAndGamesFromTheStart) {
  const CardLayout& layout = test::card_layout("dc-card");
  const Save data = layout.open(test::golden_dc({cup()}))->saves.at(0).save;
  const auto put = layout.change(test::golden_dc({}), {{}, {data}});
  ASSERT_TRUE(put);
  test::DcSave there = cup();
  there.blocks = {199, 198, 197};
  EXPECT_EQ(put->bytes, test::golden_dc({there}));
  // In the way of a game.
  const test::DcSave block{"LOW", 0x33, {2}, test::dc_data(0, 300, 5)};
  test::DcSave game{"REGATTA_GAME", 0xCC, {0, 1, 2, 3}, test::dc_data(1, 700, 4, true)};
  const Save played = layout.open(test::golden_dc({game}))->saves.at(0).save;
  EXPECT_EQ(layout.change(test::golden_dc({block}), {{}, {played}}).error().code, Code::no_room);
  const auto second = layout.change(test::golden_dc({game}), {{}, {data}});
  EXPECT_EQ(second->bytes, test::golden_dc({game, there}));
  Save other = played;
  other.name = "OTHER_GAME";
  EXPECT_EQ(layout.change(test::golden_dc({game}), {{}, {other}}).error().code, Code::no_room);
  // Dropping and putting at once makes room.
  EXPECT_TRUE(layout.change(test::golden_dc({game}), {{0}, {other}}));
}

TEST(DcCard, ASavesOwnCheckIsNamedAndKept) {
  const CardLayout& layout = test::card_layout("dc-card");
  Bytes golden = test::golden_dc({cup()});
  golden[199 * 512 + 0x100] ^= std::byte{4};
  const auto card = layout.open(golden);
  ASSERT_TRUE(card);
  EXPECT_TRUE(has_error(card->saves.at(0).findings));
  EXPECT_FALSE(has_error(layout.validate(golden))) << "the card itself is sound";
  // Behind what the check covers, anything may stand.
  Bytes filler = test::golden_dc({cup()});
  filler[198 * 512 + 511] ^= std::byte{4};
  EXPECT_TRUE(layout.open(filler)->saves.at(0).findings.empty());
  test::put_le(golden, 254 * 512 + 199 * 2, 500, 2);
  const auto mended = mend(layout, golden);
  ASSERT_TRUE(mended);
  EXPECT_EQ(mended->saves.at(0).state, RescueState::damaged);
  // With its chain cut and its check right, the blocks below its first one are its own.
  test::DcSave straight = cup();
  straight.blocks = {199, 198, 197};
  Bytes cut = test::golden_dc({straight});
  test::put_le(cut, 254 * 512 + 199 * 2, 500, 2);
  const auto whole = mend(layout, cut);
  ASSERT_TRUE(whole);
  EXPECT_EQ(whole->saves.at(0).state, RescueState::repaired);
  EXPECT_EQ(layout.open(whole->bytes)->saves.at(0).save.parts[0].data, straight.data);
}

TEST(DcCard, FindsSavesWithoutAnEntry) {
  const CardLayout& layout = test::card_layout("dc-card");
  Bytes golden = test::golden_dc({cup()});
  test::put(golden, 253 * 512, test::filled(32, 0));
  EXPECT_TRUE(has_code(layout.open(golden)->findings, Code::stray_blocks));
  const auto mended = mend(layout, golden);
  ASSERT_TRUE(mended);
  EXPECT_EQ(layout.open(mended->bytes)->saves.at(0).save.parts[0].data, cup().data);
}

TEST(DcSingle, KeepsItsEntryBesideIt) {
  const Layout& layout = **find_layout("dc-single");
  const Bytes golden = test::golden_dc({cup()});
  const Save save = test::card_layout("dc-card").open(golden)->saves.at(0).save;
  const auto written = layout.write({std::span(&save, 1), std::nullopt, {}});
  ASSERT_TRUE(written);
  EXPECT_EQ(written->bytes, cup().data);
  EXPECT_EQ(written->second_file, test::part_of(golden, 253 * 512, 32));
  Hints hints;
  hints.file_name = "renamed by hand.vms";
  EXPECT_EQ(layout.read(written->bytes, hints)->saves.at(0).name, "renamed by h");
  hints.second_file = written->second_file;
  const auto again = layout.read(written->bytes, hints);
  EXPECT_TRUE(same_card_save(again->saves.at(0), save));
  EXPECT_EQ(again->saves.at(0).modified, save.modified);
  hints.second_file.resize(31);
  EXPECT_TRUE(has_code(layout.read(written->bytes, hints)->findings, Code::companion));
}

TEST(DcFace, DecodesIconsAndEyecatches) {
  Save save;
  save.system = System::dc;
  Bytes data = test::dc_data(1, 4544, 6);
  test::put_le(data, 0x60 + 7 * 2, 0x8F31, 2);
  test::put(data, 0x80, 0x7AU);
  save.entry = test::part_of(test::golden_dc({{"X", 0x33, {1}, data}}), 253 * 512, 32);
  save.parts.push_back({"data", data, false, {}});
  Face face = face_of(save);
  ASSERT_EQ(face.pictures.size(), 1U);
  EXPECT_EQ(face.pictures[0].width, 32U);
  EXPECT_EQ(face.pictures[0].pixels[0], (Colour{255, 51, 17, 136}));
  EXPECT_EQ(face.pictures[0].pixels[1], (Colour{170, 170, 170, 255}));
  // The second kind of eyecatch: 256 colours.
  test::put_le(save.parts[0].data, 0x44, 2, 2);
  test::put_le(save.parts[0].data, 0x48, 0, 4);
  test::put(save.parts[0].data, 0x280 + 512, 9U);
  test::put_le(save.parts[0].data, 0x280 + 9 * 2, 0xF00F, 2);
  face = face_of(save);
  ASSERT_EQ(face.pictures.size(), 2U);
  EXPECT_EQ(face.pictures[1].width, 72U);
  EXPECT_EQ(face.pictures[1].height, 56U);
  EXPECT_EQ(face.pictures[1].pixels[0], (Colour{0, 0, 255, 255}));
  // The card's own icon has a picture in black and white.
  Bytes icon(1024);
  test::put_le(icon, 0x10, 0x20, 4);
  test::put(icon, 0x20, 0x80U);
  save.entry = test::part_of(test::golden_dc({{"ICONDATA_VMS", 0x33, {1}, icon}}), 253 * 512, 32);
  save.parts[0].data = icon;
  face = face_of(save);
  ASSERT_EQ(face.pictures.size(), 1U);
  EXPECT_EQ(face.pictures[0].pixels[0], (Colour{0, 0, 0, 255}));
  EXPECT_EQ(face.pictures[0].pixels[1], (Colour{255, 255, 255, 255}));
}

// saturn backup memory

test::SaturnSave chapter() {
  // Header 30, list 6, data 150: 186 bytes in blocks of 60 are four, and with their list still.
  return {"MERIDIAN_01", "Chapter 4", 1, 24'000'000, {7, 3, 511, 9}, test::random_bytes(150, 7)};
}

TEST(SaturnBram, ReadsListsThatRunThroughTheirBlocks) {
  const CardLayout& layout = test::card_layout("saturn-bram");
  // 66 blocks: the list alone is longer than the first block.
  test::SaturnSave big{"MERIDIAN_BG", "all", 1, 5, {}, test::random_bytes(3500, 8)};
  for (unsigned i = 0; i < 66; ++i) big.blocks.push_back(500 - i * 3);
  ASSERT_EQ((3500 + 30 + 57) / 58, 61 + 0);
  big.blocks.resize(61);
  const Bytes golden = test::golden_saturn(false, {chapter(), big});
  EXPECT_TRUE(layout.validate(golden).empty()) << layout.validate(golden).front().text;
  const auto card = layout.open(golden);
  ASSERT_TRUE(card);
  EXPECT_TRUE(card->findings.empty());
  EXPECT_EQ(card->blocks_total, 510U);
  EXPECT_EQ(card->blocks_free, 510U - 4 - 61);
  ASSERT_EQ(card->saves.size(), 2U);
  const Save& save = card->saves[0].save;
  EXPECT_EQ(save.name, "MERIDIAN_01");
  EXPECT_EQ(save.comment, "Chapter 4");
  EXPECT_EQ(save.parts[0].data, chapter().data);
  EXPECT_EQ(*save.modified, Time{std::chrono::sys_days{std::chrono::year{1980} / 1 / 1}} +
                                std::chrono::minutes{24'000'000});
  EXPECT_EQ(card->saves[0].blocks, (std::vector<std::uint32_t>{5, 1, 509, 7}));
  EXPECT_EQ(card->saves[1].save.parts[0].data, big.data);
}

TEST(SaturnBram, GoesToACartridgeAndBackWithRightLists) {
  const CardLayout& layout = test::card_layout("saturn-bram");
  const Save save = layout.open(test::golden_saturn(false, {chapter()}))->saves.at(0).save;
  const auto cartridge = layout.change(test::golden_saturn(true, {}), {{}, {save}});
  ASSERT_TRUE(cartridge);
  test::SaturnSave there = chapter();
  there.blocks = {2};
  EXPECT_EQ(cartridge->bytes, test::golden_saturn(true, {there}));
  const Save moved = layout.open(cartridge->bytes)->saves.at(0).save;
  const auto back = layout.change(test::golden_saturn(false, {}), {{}, {moved}});
  ASSERT_TRUE(back);
  there.blocks = {2, 3, 4, 5};
  EXPECT_EQ(back->bytes, test::golden_saturn(false, {there}));
  // The doubled form keeps its filler.
  const CardLayout& odd = test::card_layout("saturn-bram-odd");
  const Bytes wide = test::doubled(test::golden_saturn(false, {}), 0x00);
  EXPECT_EQ(identify(wide, {}).front().layout, &odd);
  EXPECT_EQ(odd.change(wide, {{}, {moved}})->bytes,
            test::doubled(test::golden_saturn(false, {there}), 0x00));
  EXPECT_EQ(odd.change(back->bytes, {})->bytes, test::doubled(back->bytes, 0xFF));
}

TEST(SaturnBram, DeletedSavesCanBeReadUntilTheirBlocksAreUsed) {
  const CardLayout& layout = test::card_layout("saturn-bram");
  const Bytes golden = test::golden_saturn(false, {chapter()});
  const auto dropped = layout.change(golden, {{0}, {}});
  ASSERT_TRUE(dropped);
  Bytes expected = golden;
  test::put_be(expected, 7 * 64, 0, 4);
  EXPECT_EQ(dropped->bytes, expected) << "only the tag is cleared";
  const auto card = layout.open(dropped->bytes);
  ASSERT_EQ(card->deleted.size(), 1U);
  EXPECT_EQ(card->deleted[0].save.parts[0].data, chapter().data);
  Save full = card->deleted[0].save;
  full.name = "FULL";
  full.parts[0].data = test::random_bytes(29'400, 9);
  const auto put = layout.change(dropped->bytes, {{}, {full}});
  ASSERT_TRUE(put);
  EXPECT_TRUE(has_code(put->notes, Code::purged));
  EXPECT_TRUE(layout.open(put->bytes)->deleted.empty());
}

TEST(SaturnBram, BrokenListsAndMarksAreSeen) {
  const CardLayout& layout = test::card_layout("saturn-bram");
  Bytes loop = test::golden_saturn(false, {chapter()});
  test::put_be(loop, 7 * 64 + 34 + 2, 3, 2);
  EXPECT_TRUE(has_error(layout.open(loop)->saves.at(0).findings));
  EXPECT_TRUE(has_error(layout.validate(loop)));
  EXPECT_EQ(mend(layout, loop)->saves.at(0).state, RescueState::lost);
  Bytes tag = test::golden_saturn(false, {chapter()});
  test::put(tag, 7 * 64 + 3, 1U);
  EXPECT_TRUE(layout.open(tag)->saves.empty());
  const auto mended = mend(layout, tag);
  EXPECT_EQ(mended->saves.at(0).state, RescueState::repaired);
  EXPECT_EQ(layout.open(mended->bytes)->saves.at(0).save.parts[0].data, chapter().data);
  Bytes mark = test::golden_saturn(false, {chapter()});
  test::put(mark, 16, "XX");
  EXPECT_TRUE(has_error(layout.validate(mark)));
  EXPECT_EQ(mend(layout, mark)->bytes, test::golden_saturn(false, {chapter()}));
}

TEST(SaturnSingle, IsHeaderAndData) {
  const Layout& layout = **find_layout("saturn-single");
  const Bytes file = test::saturn_header(chapter()) + chapter().data;
  EXPECT_EQ(identify(file, {}).front().layout, &layout);
  const auto content = layout.read(file, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(content->saves.at(0).name, "MERIDIAN_01");
  EXPECT_EQ(layout.write({content->saves, std::nullopt, {}})->bytes, file);
  EXPECT_TRUE(has_error(layout.read(test::part_of(file, 0, 100), {})->findings));
}

// pce backup memory

TEST(PceBram, ReadsEntriesWithEitherCheck) {
  const CardLayout& layout = test::card_layout("pce-bram");
  const Bytes first = test::pce_entry("COBALT-1  ", test::random_bytes(99, 11));
  const Bytes second = test::pce_entry("COBALT-2  ", test::random_bytes(60, 12), true);
  const Bytes golden = test::golden_pce({first, second});
  EXPECT_TRUE(layout.validate(golden).empty()) << layout.validate(golden).front().text;
  const auto card = layout.open(golden);
  ASSERT_TRUE(card);
  EXPECT_TRUE(card->findings.empty());
  EXPECT_EQ(card->blocks_total, 2030U);
  EXPECT_EQ(card->blocks_free, 2030U - first.size() - second.size());
  ASSERT_EQ(card->saves.size(), 2U);
  EXPECT_EQ(card->saves[1].save.name, "COBALT-2");
  EXPECT_TRUE(card->saves[1].findings.empty());
  EXPECT_EQ(card->saves[1].block_count, 76U);
  // Removing closes the gap, and the other entry keeps its own check.
  EXPECT_EQ(layout.change(golden, {{0}, {}})->bytes, test::golden_pce({second}));
  Save named;
  named.system = System::pce;
  named.kind = Kind::card_save;
  named.name = "COBALT-1";
  named.parts.push_back({"data", test::part_of(first, 16, 99), false, {}});
  EXPECT_EQ(layout.change(test::golden_pce({second}), {{}, {named}})->bytes,
            test::golden_pce({second, first}));
  named.parts[0].data.resize(2030 - 16 - 76 + 1);
  EXPECT_EQ(layout.change(test::golden_pce({second}), {{}, {named}}).error().code, Code::no_room);
  named.parts[0].data.resize(2030 - 16 - 76);
  const auto full = layout.change(test::golden_pce({second}), {{}, {named}});
  ASSERT_TRUE(full);
  EXPECT_EQ(layout.open(full->bytes)->blocks_free, 0U);
  EXPECT_TRUE(layout.validate(full->bytes).empty());
}

TEST(PceBram, FindsEntriesBehindABreak) {
  const CardLayout& layout = test::card_layout("pce-bram");
  const Bytes first = test::pce_entry("COBALT-1  ", test::random_bytes(99, 11));
  const Bytes second = test::pce_entry("COBALT-2  ", test::random_bytes(60, 12));
  Bytes broken = test::golden_pce({first, second});
  test::put_le(broken, 16, 3, 2);
  EXPECT_TRUE(has_error(layout.validate(broken)));
  const auto mended = mend(layout, broken);
  ASSERT_TRUE(mended);
  EXPECT_EQ(mended->bytes, test::golden_pce({second}));
  // A damaged entry is kept as it is, and still says so.
  Bytes hit = test::golden_pce({first, second});
  hit[50] ^= std::byte{1};
  test::put_le(hit, 6, 0x8800, 2);
  const auto kept = mend(layout, hit);
  ASSERT_TRUE(kept);
  EXPECT_EQ(kept->saves.at(0).state, RescueState::damaged);
  EXPECT_TRUE(has_error(layout.open(kept->bytes)->saves.at(0).findings));
  EXPECT_TRUE(layout.open(kept->bytes)->saves.at(1).findings.empty());
}

TEST(PceSingle, IsOneEntry) {
  const Layout& layout = **find_layout("pce-single");
  const Bytes file = test::pce_entry("COBALT-1  ", test::random_bytes(99, 11));
  EXPECT_EQ(identify(file, {}).front().layout, &layout);
  const auto content = layout.read(file, {});
  ASSERT_TRUE(content);
  EXPECT_EQ(layout.write({content->saves, std::nullopt, {}})->bytes, file);
  EXPECT_FALSE(layout.read(test::bytes({1, 2, 3}), {}));
  EXPECT_TRUE(has_error(layout.read(test::part_of(file, 0, 80), {})->findings));
}

// segacd backup memory

TEST(SegacdBram, SaysWhatItCanProve) {
  const Layout& layout = **find_layout("segacd-bram");
  Bytes memory(8192);
  test::put(memory, 8192 - 0x20, "SEGA_CD_ROM");
  for (std::size_t i = 0; i < 4; ++i) test::put_be(memory, 8192 - 0x30 + i * 2, 125, 2);
  EXPECT_TRUE(layout.read(memory, {})->saves.at(0).blank()) << "formatted and empty";
  for (std::size_t i = 0; i < 4; ++i) test::put_be(memory, 8192 - 0x28 + i * 2, 3, 2);
  test::put_be(memory, 8192 - 0x28, 9, 2);
  const auto content = layout.read(memory, {});
  EXPECT_FALSE(content->saves.at(0).blank());
  ASSERT_TRUE(has_code(content->findings, Code::saves_not_listed));
  EXPECT_NE(content->findings.back().text.find("3 saves and 125 free"), std::string::npos);
  test::put_be(memory, 8192 - 0x26, 7, 2);
  test::put_be(memory, 8192 - 0x24, 8, 2);
  EXPECT_TRUE(has_code(layout.read(memory, {})->findings, Code::spare_lost));
}

}  // namespace
}  // namespace bayswap
