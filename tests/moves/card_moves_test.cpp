// Saves put on cards, dropped, taken, carried between cards in bays, and taken back.
#include <gtest/gtest.h>

#include <algorithm>

#include "bayswap/card_file.h"
#include "bayswap/look.h"
#include "support/failing_storage.h"
#include "support/golden_cards.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::operator+;
using test::read;
using test::snapshot;

class CardMoves : public test::WorldTest {
 protected:
  void SetUp() override {
    WorldTest::SetUp();
    learn("attic");
  }

  Card card(const std::string& name) {
    Session session = open();
    auto shown = show_card(session, at(name), "");
    EXPECT_TRUE(shown) << shown.error().text;
    return shown ? std::move(shown->card) : Card{};
  }
  std::vector<std::string> names(const std::string& name) {
    const Card shown = card(name);
    std::vector<std::string> found;
    for (const CardSave& on_card : shown.saves) found.push_back(on_card.save.name);
    return found;
  }
  Result<CarryReport> put(const std::string& name, const std::vector<std::string>& files,
                          const std::set<Code>& accept = {}, bool plan = false) {
    Session session = open();
    return put_saves(session, {at(name), files, "", plan, accept});
  }
  Result<DropReport> drop(const std::string& name, const std::vector<std::string>& saves,
                          bool plan = false) {
    Session session = open();
    return drop_saves(session, {at(name), saves, "", plan, {}});
  }
  void undo_it() {
    Session session = open();
    const auto undone = undo(session, "", {});
    ASSERT_TRUE(undone) << undone.error().text;
    ASSERT_EQ(stop_code(*undone), "");
  }
};

TEST_F(CardMoves, TakesAndPutsAndUndoes) {
  const auto before = snapshot(folder_ / "den/cards");
  Session session = open();
  TakeRequest take;
  take.card = at("den/cards/left.card");
  take.names = {"#1", "BASLUS-00417SKY"};
  take.out = folder_ / "out";
  const auto taken = take_saves(session, take);
  ASSERT_TRUE(taken) << taken.error().text;
  EXPECT_EQ(taken->outputs.size(), 2U);
  EXPECT_FALSE(take_saves(session, take)->stopped == std::nullopt) << "files are not overwritten";
  const auto dropped = drop("den/cards/left.card", {"BASLUS-00417SKY"});
  ASSERT_TRUE(dropped) << dropped.error().text;
  EXPECT_EQ(dropped->saves.at(0).save.comment, "紙の天文台　星空");
  EXPECT_EQ(names("den/cards/left.card").size(), 3U);
  const auto back = put("den/cards/left.card", {at("out/BASLUS-00417SKY")});
  ASSERT_TRUE(back) << back.error().text;
  EXPECT_EQ(back->moves.at(0).status, MoveStatus::done);
  EXPECT_EQ(names("den/cards/left.card").size(), 4U);
  undo_it();
  undo_it();
  EXPECT_EQ(snapshot(folder_ / "den/cards"), before);
}

TEST_F(CardMoves, PlansAndStopsWriteNothing) {
  const auto before = snapshot(folder_.path());
  EXPECT_EQ(drop("den/cards/left.card", {"#2"}, true)->report.moves.at(0).status,
            MoveStatus::planned);
  EXPECT_EQ(drop("den/cards/left.card", {"#9"}).error().code, Code::no_match);
  EXPECT_EQ(drop("den/cards/left.card", {"SLUS-00417"}).error().code, Code::many_match);
  const auto other_family = put("den/cards/left.card", {at("attic/cards/kites.card") + ":#1"});
  EXPECT_EQ(stop_code(*other_family), "no-match");
  const auto again = put("den/cards/left.card", {at("den/cards/left.card") + ":#1"});
  EXPECT_TRUE(again->moves.at(0).nothing_to_do);
  EXPECT_EQ(put("den/cards/left.card", {at("den/notes.txt")}).error().code, Code::no_match);
  EXPECT_EQ(put("den/cards/left.card", {at("missing")}).error().code, Code::missing);
  EXPECT_EQ(stop_code(*put("downloads/failed.card", {at("den/cards/left.card") + ":#1"})),
            "damaged");
  EXPECT_EQ(snapshot(folder_.path()), before);
}

TEST_F(CardMoves, ADifferentSaveOfTheNameIsNotReplacedUnasked) {
  Bytes file = test::filled(128, 0);
  const Bytes data = test::ps1_data(1, "Other sky", 1);
  test::put(file, 0, 0x51);
  test::put_le(file, 4, data.size(), 4);
  test::put_le(file, 8, 0xFFFF, 2);
  test::put(file, 10, "BASLUS-00417SKY");
  test::seal_ps1_frame(file, 0);
  folder_.write("sky", file + data);
  EXPECT_EQ(stop_code(*put("den/cards/left.card", {at("sky")})), "name-taken");
  const auto replaced = put("den/cards/left.card", {at("sky")}, {Code::name_taken});
  EXPECT_EQ(stop_code(*replaced), "");
  const Card shown = card("den/cards/left.card");
  EXPECT_EQ(shown.saves[*find_on_card(shown.saves, "BASLUS-00417SKY")].save.parts[0].data, data);
  EXPECT_EQ(shown.saves.size(), 4U);
}

TEST_F(CardMoves, NoRoomSaysHowMuchIsMissing) {
  Session session = open();
  ASSERT_TRUE(new_card(session, {at("full.card"), "ps1-card", std::nullopt, false}));
  for (int i = 0; i < 3; ++i)
    folder_.write(("BASLUS-1000" + std::to_string(i)), test::ps1_data(5, "Large", 1));
  const auto full = put("full.card", {at("BASLUS-10000"), at("BASLUS-10001"), at("BASLUS-10002")});
  EXPECT_EQ(stop_code(*full), "");
  folder_.write("BASLUS-10003", test::ps1_data(2, "More", 1));
  const auto more = put("full.card", {at("BASLUS-10003")});
  EXPECT_EQ(stop_code(*more), "no-room");
  EXPECT_NE(more->moves[0].checks[0].text.find("2 missing"), std::string::npos);
}

TEST_F(CardMoves, CarriesBetweenBaysAndBack) {
  const auto before = snapshot(folder_ / "attic");
  const auto carried = carry_one("den:BASLUS-20731VELVET", "attic");
  ASSERT_EQ(stop_code(carried), "") << carried.moves.at(0).checks.at(0).text;
  EXPECT_EQ(carried.moves.at(0).to_layout, "ps2-card-ecc");
  EXPECT_EQ(names("attic/cards/velvet.card").size(), 2U);
  const Card there = card("attic/cards/velvet.card");
  const Card source = card("den/cards/velvet.card");
  EXPECT_TRUE(same_card_save(there.saves[*find_on_card(there.saves, "BASLUS-20731VELVET")].save,
                             source.saves[*find_on_card(source.saves, "BASLUS-20731VELVET")].save));
  const auto again = carry_one("den:BASLUS-20731VELVET", "attic");
  EXPECT_TRUE(again.moves.at(0).nothing_to_do);
  undo_it();
  EXPECT_EQ(snapshot(folder_ / "attic"), before);
}

TEST_F(CardMoves, AnotherRegionStopsUntilItIsLabelled) {
  const std::string source = at("attic/cards/island.card") + ":BESLES-00418NIGHT";
  const auto stopped = carry_one(source, "den");
  EXPECT_EQ(stop_code(stopped), "region-differs");
  EXPECT_EQ(stop_code(carry_one(source, "den", {Code::region_differs})), "");
  undo_it();
  Session session = open();
  ReshapeRequest label;
  label.inputs = {source};
  label.code = "SLUS-00417";
  label.out = folder_ / "BASLUS-00417NIGHT";
  const auto labelled = reshape(session, label);
  ASSERT_TRUE(labelled) << labelled.error().text;
  EXPECT_TRUE(has_code(labelled->findings, Code::relabelled));
  EXPECT_EQ(labelled->outputs.at(0).layout, "ps1-single");
  const auto younger = carry_one(at("BASLUS-00417NIGHT"), "den");
  EXPECT_EQ(stop_code(younger), "") << "the file is younger than the card";
  EXPECT_EQ(names("den/cards/left.card").size(), 4U);
}

TEST_F(CardMoves, AWholeCardIsCarriedSaveBySave) {
  Session session = open();
  const auto untouched = snapshot(folder_ / "attic");
  const auto report =
      carry_one(at("den/cards/velvet.card"), "attic", {Code::region_differs, Code::newer_there});
  EXPECT_EQ(report.moves.size(), 4U);
  EXPECT_EQ(stop_code(report), "") << report.moves.back().checks.at(0).text;
  EXPECT_EQ(names("attic/cards/velvet.card").size(), 4U);
  const auto before = snapshot(folder_ / "attic");
  CarryRequest all;
  all.from = "den";
  all.to = "attic";
  all.all = true;
  all.plan = true;
  const CarryReport planned = carry_it(all);
  EXPECT_GE(planned.moves.size(), 8U);
  EXPECT_EQ(snapshot(folder_ / "attic"), before);

  const Bytes carried = read(folder_ / "attic/cards/velvet.card");
  Bytes played = carried;
  played.back() ^= std::byte{1};
  folder_.write("attic/cards/velvet.card", played);
  const auto stopped = undo(session, "", {});
  ASSERT_TRUE(stopped) << stopped.error().text;
  EXPECT_EQ(stop_code(*stopped), "newer-there");
  EXPECT_EQ(read(folder_ / "attic/cards/velvet.card"), played);
  folder_.write("attic/cards/velvet.card", carried);
  undo_it();
  EXPECT_EQ(snapshot(folder_ / "attic"), untouched) << "moves into one card are undone as a chain";
}

TEST_F(CardMoves, MendsTheFailedCard) {
  Session session = open();
  const auto report =
      mend_card(session, {at("downloads/failed.card"), "", folder_ / "rescued.card", false});
  ASSERT_TRUE(report) << report.error().text;
  EXPECT_FALSE(report->incomplete());
  EXPECT_EQ(names("rescued.card").size(), 4U);
  EXPECT_EQ(mend_card(session, {at("downloads/failed.card"), "", folder_ / "rescued.card", false})
                .error()
                .code,
            Code::name_taken);
  const Card shown = card("rescued.card");
  EXPECT_TRUE(shown.findings.empty());
}

TEST_F(CardMoves, ReshapesFormsOfACardExactly) {
  Session session = open();
  const auto as = [&](const std::string& from, const std::string& layout, const std::string& to) {
    ReshapeRequest request;
    request.inputs = {at(from)};
    request.as = {layout};
    request.out = folder_ / to;
    auto done = reshape(session, request);
    EXPECT_TRUE(done && !done->stopped) << (done ? done->stopped->text : done.error().text);
  };
  as("den/cards/velvet.card", "ps2-card-ecc", "with.card");
  as("with.card", "ps2-card", "without.card");
  EXPECT_EQ(read(folder_ / "without.card"), read(folder_ / "den/cards/velvet.card"));
  EXPECT_EQ(read(folder_ / "with.card"), test::with_spare(read(folder_ / "den/cards/velvet.card")));
  as("den/cards/velvet.card:#1", "ps2-folder", "folder");
  as("folder", "ps2-single", "BASLUS-20731VELVET");
  as("BASLUS-20731VELVET", "ps2-folder", "again/BASLUS-20731VELVET");
  std::map<std::string, Bytes> one;
  std::map<std::string, Bytes> two;
  for (const std::string file : {"icon.sys", "signal.icn", "BASLUS-20731VELVET"}) {
    one[file] = read(folder_ / "folder" / file);
    two[file] = read(folder_ / "again/BASLUS-20731VELVET" / file);
  }
  EXPECT_EQ(one, two);
  LookOptions options;
  std::vector<Item> items;
  ASSERT_TRUE(
      look(session, folder_ / "folder", options, [&](const Item& item) { items.push_back(item); }));
  ASSERT_EQ(items.size(), 1U);
  EXPECT_EQ(items[0].layout, "ps2-folder");
  EXPECT_EQ(items[0].comment, "Ｖｅｌｖｅｔ Signal\nChannel 3, evening");
}

TEST_F(CardMoves, HostileNamesStayInTheFolder) {
  Bytes card = test::blank_ps1_card();
  test::add_ps1_save(card, "../../evil\x01", test::ps1_data(1, "Evil", 1), {0});
  test::add_ps1_save(card, "..", test::ps1_data(1, "Dots", 2), {1});
  folder_.write("evil.card", card);
  Session session = open();
  TakeRequest take;
  take.card = at("evil.card");
  take.out = folder_ / "inner/out";
  const auto taken = take_saves(session, take);
  ASSERT_TRUE(taken) << taken.error().text;
  for (const OutputFile& file : taken->outputs) {
    EXPECT_EQ(file.path.parent_path(), folder_ / "inner/out");
    EXPECT_TRUE(std::filesystem::exists(file.path));
  }
  EXPECT_FALSE(std::filesystem::exists(folder_ / "evil"));
}

// A card whose beginning is gone is a damaged card, and never "no card".
TEST_F(CardMoves, ADamagedCardIsCalledOne) {
  for (const auto& [card, system, wiped] :
       {std::tuple("den/cards/velvet.card", "ps2", 1024), {"den/cards/left.card", "ps1", 8192}}) {
    Bytes bytes = read(folder_ / card);
    std::fill_n(bytes.begin(), wiped, std::byte{0});
    folder_.write("broken.card", bytes);
    Session session = open();
    const auto shown = show_card(session, at("broken.card"), "");
    ASSERT_FALSE(shown);
    EXPECT_EQ(shown.error().code, Code::damaged);
    EXPECT_NE(shown.error().text.find(std::string("damaged ") + system), std::string::npos)
        << shown.error().text;
    std::vector<Item> items;
    ASSERT_TRUE(look(session, folder_ / "broken.card", {},
                     [&](const Item& item) { items.push_back(item); }));
    ASSERT_EQ(items.size(), 1U);
    EXPECT_NE(items[0].findings.at(0).text.find(std::string("damaged ") + system),
              std::string::npos);
    MendRequest mending;
    mending.card = at("broken.card");
    mending.out = folder_ / (std::string(system) + ".mended");
    const auto mended = mend_card(session, mending);
    ASSERT_TRUE(mended) << mended.error().text;
    EXPECT_GE(mended->mended.saves.size(), 4U);
  }
}

// A fault at every changing operation of a put: the card is the old one or the new one.
TEST_F(CardMoves, FaultsLeaveTheOldCardOrTheNew) {
  const Bytes old = read(folder_ / "den/cards/left.card");
  // It is another region's, which the card says.
  const std::string save = at("attic/cards/island.card") + ":#1";
  EXPECT_EQ(stop_code(*put("den/cards/left.card", {save})), "region-differs");
  ASSERT_EQ(stop_code(*put("den/cards/left.card", {save}, {Code::region_differs})), "");
  const Bytes changed = read(folder_ / "den/cards/left.card");
  undo_it();
  for (const auto fault : test::FailingStorage::kFaults)
    for (std::size_t operation = 1; operation < 40; ++operation) {
      test::FailingStorage storage(operation, fault);
      Session failing = open(storage);
      (void)put_saves(failing,
                      {at("den/cards/left.card"), {save}, "", false, {Code::region_differs}});
      const Bytes there = read(folder_ / "den/cards/left.card");
      ASSERT_TRUE(there == old || there == changed) << operation;
      Session session = open();
      ASSERT_TRUE(recover(session));
      if (read(folder_ / "den/cards/left.card") == changed) undo_it();
      ASSERT_EQ(read(folder_ / "den/cards/left.card"), old) << operation;
      if (storage.failed()) continue;
      EXPECT_GT(operation, fault == test::FailingStorage::Fault::full ? 1U : 3U);
      break;
    }
}

}  // namespace
}  // namespace bayswap
