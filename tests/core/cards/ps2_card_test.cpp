// ps2 cards against bytes assembled by hand.
#include <gtest/gtest.h>

#include "bayswap/card.h"
#include "bayswap/face.h"
#include "bayswap/folder.h"
#include "core/layouts/ps2/ps2_ecc.h"
#include "support/golden_cards.h"

namespace bayswap {
namespace {

using test::operator+;

const CardLayout& plain() {
  return *as_card(*find_layout("ps2-card"));
}
const CardLayout& ecc() {
  return *as_card(*find_layout("ps2-card-ecc"));
}

std::vector<test::Ps2File> velvet_files() {
  // "Velvet" in wide letters, then half-width ones.
  return {
      {"icon.sys", test::icon_sys("\x82\x75\x82\x85\x82\x8c\x82\x96\x82\x85\x82\x94", "Signal 3")},
      {"view.icn", test::random_bytes(5000, 1)},
      {"empty.dat", {}},
      {"BASLUS-20999VELVET", test::random_bytes(2048, 2)}};
}

test::Ps2Golden ps2_golden() {
  test::Ps2Golden card(2048);
  card.add("BASLUS-20999VELVET", velvet_files(), 1, true);
  card.add("BESLES-51000OTHER",
           {{"icon.sys", test::icon_sys("Other", "")}, {"data", test::random_bytes(1, 3)}}, 100);
  card.add("BISLPM-62000THIRD", {{"data", test::random_bytes(9999, 4)}}, 200);
  return card;
}

TEST(Ps2Ecc, IsAsTheFactsSay) {
  EXPECT_EQ(ps2::ecc_of(test::filled(128, 0)), (ps2::Ecc{0x77, 0x7F, 0x7F}));
  Bytes one = test::filled(128, 0);
  one[0] = std::byte{1};
  EXPECT_EQ(ps2::ecc_of(one), (ps2::Ecc{0x70, 0x00, 0x7F}));
  for (std::uint32_t seed = 0; seed < 50; ++seed) {
    const Bytes chunk = test::random_bytes(128, seed);
    const auto slow = test::slow_ecc(chunk);
    EXPECT_EQ(ps2::ecc_of(chunk),
              (ps2::Ecc{static_cast<std::uint8_t>(slow[0]), static_cast<std::uint8_t>(slow[1]),
                        static_cast<std::uint8_t>(slow[2])}));
  }
}

TEST(Ps2Ecc, MendsEverySingleBitAndNoPair) {
  const Bytes chunk = test::random_bytes(128, 7);
  const ps2::Ecc code = ps2::ecc_of(chunk);
  Bytes stored;
  for (const std::uint8_t byte : code) stored.push_back(std::byte{byte});
  for (unsigned bit = 0; bit < 1024; ++bit) {
    Bytes wrong = chunk;
    wrong[bit / 8] ^= std::byte{1} << (bit % 8);
    Bytes pair = wrong;
    EXPECT_EQ(ps2::check_chunk(wrong, stored), ps2::EccState::mended);
    EXPECT_EQ(wrong, chunk);
    const unsigned other = (bit + 37) % 1024;
    pair[other / 8] ^= std::byte{1} << (other % 8);
    EXPECT_EQ(ps2::check_chunk(pair, stored), ps2::EccState::broken);
  }
  for (unsigned bit = 0; bit < 24; ++bit) {
    Bytes wrong = stored;
    wrong[bit / 8] ^= std::byte{1} << (bit % 8);
    Bytes data = chunk;
    EXPECT_NE(ps2::check_chunk(data, wrong), ps2::EccState::broken);
    EXPECT_EQ(data, chunk);
  }
}

TEST(Ps2Card, ReadsBothForms) {
  const test::Ps2Golden card = ps2_golden();
  for (const CardLayout* layout : {&plain(), &ecc()}) {
    const Bytes file = layout == &plain() ? card.card : test::with_spare(card.card);
    EXPECT_EQ(identify(file, {}).front().layout, layout);
    const auto read = layout->open(file);
    ASSERT_TRUE(read);
    EXPECT_TRUE(read->findings.empty()) << read->findings.front().text;
    const Findings strict = layout->validate(file);
    EXPECT_TRUE(strict.empty()) << strict.front().text;
    ASSERT_EQ(read->saves.size(), 3U);
    EXPECT_EQ(read->blocks_total, 2000U);
    const CardSave& velvet = read->saves[0];
    EXPECT_EQ(velvet.block_count, 3U + 1 + 5 + 2);
    EXPECT_EQ(velvet.save.comment, "Ｖｅｌｖｅｔ\nSignal 3");
    EXPECT_EQ(velvet.save.game.serial, "SLUS-20999");
    EXPECT_EQ(*velvet.save.modified, Time{std::chrono::sys_days{std::chrono::year{2026} / 3 / 3}} +
                                         std::chrono::seconds{20 * 3600 + 6 * 60 + 7});
    ASSERT_EQ(velvet.save.parts.size(), 4U);
    for (std::size_t i = 0; i < 4; ++i) {
      EXPECT_EQ(velvet.save.parts[i].name, velvet_files()[i].name);
      EXPECT_EQ(velvet.save.parts[i].data, velvet_files()[i].data);
    }
    // The root directory goes on in a cluster behind those that a console allocates.
    EXPECT_EQ(read->blocks_free, 2000U - 11 - 4 - 12);
    const Face face = face_of(velvet.save);
    ASSERT_TRUE(face.backdrop);
    EXPECT_EQ((*face.backdrop)[2], (Colour{120, 130, 140, 255}));
  }
}

TEST(Ps2Card, KeepsWhatItDoesNotChange) {
  const Bytes before = test::with_spare(ps2_golden().card);
  const auto card = ecc().open(before);
  ASSERT_TRUE(card);
  Save added = card->saves[1].save;
  added.name = "BASLUS-20999MORE";
  added.parts[1].data = test::random_bytes(70000, 9);
  added.parts.push_back({"sub/deep/inner", test::random_bytes(1500, 10), false, {}});
  const auto changed = ecc().change(before, {{1}, {added}});
  ASSERT_TRUE(changed) << changed.error().text;
  const Findings strict = ecc().validate(changed->bytes);
  EXPECT_TRUE(strict.empty()) << strict.front().text;
  const auto after = ecc().open(changed->bytes);
  ASSERT_TRUE(after);
  ASSERT_EQ(after->saves.size(), 3U);
  EXPECT_EQ(after->saves[0].blocks, card->saves[0].blocks);
  EXPECT_TRUE(same_card_save(after->saves[0].save, card->saves[0].save));
  EXPECT_EQ(after->saves[0].save.entry, card->saves[0].save.entry);
  const auto more = find_on_card(after->saves, "BASLUS-20999MORE");
  ASSERT_TRUE(more);
  const Save& there = after->saves[*more].save;
  ASSERT_NE(there.part("sub/deep/inner"), nullptr);
  EXPECT_EQ(there.part("sub/deep/inner")->data, added.parts.back().data);
  // The dropped one can still be read.
  ASSERT_EQ(after->deleted.size(), 1U);
  EXPECT_EQ(after->deleted[0].save.name, "BESLES-51000OTHER");
  EXPECT_EQ(after->deleted[0].save.parts[1].data, test::random_bytes(1, 3));
}

TEST(Ps2Card, ChangesFormExactly) {
  const Bytes file = ps2_golden().card;
  const auto card = plain().open(file);
  std::vector<Save> saves;
  for (const CardSave& on_card : card->saves) saves.push_back(on_card.save);
  const auto with_code = ecc().write({saves, ByteView(file), {}});
  ASSERT_TRUE(with_code);
  EXPECT_EQ(with_code->bytes, test::with_spare(file));
  const auto back = plain().write({saves, ByteView(with_code->bytes), {}});
  ASSERT_TRUE(back);
  EXPECT_EQ(back->bytes, file);
}

TEST(Ps2Card, FormatsLikeByHand) {
  const auto card = plain().format(8000);
  ASSERT_TRUE(card);
  const test::Ps2Golden by_hand;
  Bytes expected = by_hand.card;
  // A new card's root entries have no times.
  for (const std::size_t entry : {0U, 512U})
    for (const std::size_t field : {0x08U, 0x18U})
      test::put(expected, by_hand.at(0) + entry + field, test::filled(8, 0));
  EXPECT_EQ(*card, expected);
  EXPECT_EQ(*ecc().format(8000), test::with_spare(expected));
}

TEST(Ps2Card, MendsBitsChainsAndOrphans) {
  const Bytes sound = test::with_spare(ps2_golden().card);
  Bytes bit = sound;
  bit[528 * 200 + 17] ^= std::byte{0x10};
  const auto looked = ecc().open(bit);
  EXPECT_TRUE(has_code(looked->findings, Code::spare_lost));
  EXPECT_FALSE(has_error(looked->findings));
  EXPECT_EQ(mend(ecc(), bit)->bytes, sound);

  test::Ps2Golden cut = ps2_golden();
  test::put_le(cut.card, cut.fat(202), 0x7FFFFFFF, 4);  // in the chain of THIRD
  const auto rebuilt = mend(plain(), cut.card);
  ASSERT_TRUE(rebuilt);
  EXPECT_TRUE(plain().validate(rebuilt->bytes).empty());
  EXPECT_EQ(rebuilt->saves[2].state, RescueState::repaired) << rebuilt->saves[2].what.at(0);
  EXPECT_EQ(plain().open(rebuilt->bytes)->saves[2].save.parts[0].data, test::random_bytes(9999, 4));

  test::Ps2Golden orphan = ps2_golden();
  test::put(orphan.card, orphan.at(0) + 1024 * 0, test::part_of(orphan.card, orphan.at(0), 512));
  // The root's second cluster, with two of the three saves, is wiped.
  const std::size_t second = orphan.at(orphan.end - 11);
  test::put(orphan.card, second, test::filled(1024, 0));
  const auto found = mend(plain(), orphan.card);
  ASSERT_TRUE(found);
  EXPECT_TRUE(plain().validate(found->bytes).empty());
  EXPECT_EQ(plain().open(found->bytes)->saves.size(), 3U);

  test::Ps2Golden crossed = ps2_golden();
  test::put_le(crossed.card, crossed.fat(200), 0x80000000U | 100, 4);
  const auto judged = mend(plain(), crossed.card);
  ASSERT_TRUE(judged);
  EXPECT_EQ(judged->saves[1].state, RescueState::whole);
  const auto header =
      mend(plain(), test::filled(512, 0xFF) +
                        test::part_of(plain().format(8000).value(), 512, 8191 * 1024 + 512));
  ASSERT_TRUE(header);
  EXPECT_TRUE(plain().validate(header->bytes).empty());
}

TEST(Ps2Single, ReadsAndWritesExactly) {
  const auto files = velvet_files();
  Bytes file = test::Ps2Golden::entry(0x8427, 6, 1, "BASLUS-20999VELVET") +
               test::Ps2Golden::entry(0x8427, 0, 0, ".") +
               test::Ps2Golden::entry(0x8427, 0, 0, "..");
  for (const test::Ps2File& inner : files) {
    file = std::move(file) +
           test::Ps2Golden::entry(0x8497, static_cast<std::uint32_t>(inner.data.size()), 9,
                                  inner.name) +
           inner.data;
    file.resize(file.size() + (1024 - inner.data.size() % 1024) % 1024,
                inner.name == "icon.sys" ? std::byte{0} : std::byte{0xFF});
  }
  const Layout& single = **find_layout("ps2-single");
  EXPECT_EQ(identify(file, {}).front().layout, &single);
  const auto content = single.read(file, {});
  ASSERT_TRUE(content);
  EXPECT_TRUE(content->findings.empty());
  EXPECT_EQ(content->saves.at(0).comment, "Ｖｅｌｖｅｔ\nSignal 3");
  Bytes again = single.write({content->saves, std::nullopt, {}})->bytes;
  // The empty file's first cluster is said to be none.
  EXPECT_EQ(again, file);
  const FolderLayout& folder = *as_folder(*find_layout("ps2-folder"));
  const auto plain_files = folder.write_folder(content->saves[0]);
  ASSERT_TRUE(plain_files);
  EXPECT_TRUE(folder.recognise_folder("BASLUS-20999VELVET", *plain_files));
  const auto from_folder = folder.read_folder("BASLUS-20999VELVET", *plain_files);
  EXPECT_TRUE(same_card_save(*from_folder, content->saves[0]));
  const auto onto_card = plain().change(*plain().format(8000), {{}, {*from_folder}});
  ASSERT_TRUE(onto_card);
  EXPECT_TRUE(plain().validate(onto_card->bytes).empty());
  EXPECT_TRUE(same_card_save(plain().open(onto_card->bytes)->saves.at(0).save, content->saves[0]));
}

}  // namespace
}  // namespace bayswap
