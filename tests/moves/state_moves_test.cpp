// States carried between places: slots, names, and programs that differ.
#include <algorithm>

#include "bayswap/slots.h"
#include "bayswap/state.h"
#include "demo/makers.h"
#include "demo/state_makers.h"
#include "support/real_place.h"

namespace bayswap {
namespace {

using test::read;

const std::string kWharf = "wharf/states/Dune Semaphore (1982) (Quay Works).st";
const std::string kPier = "pier/slots/DUNE SEMAPHORE/slot 0";

class States : public test::WorldTest {
 protected:
  void SetUp() override {
    test::WorldTest::SetUp();
    for (const std::string name : {"wharf", "pier", "shed"}) learn(name);
  }
  CarryReport carry_state(const std::string& save, const std::string& to,
                          const std::string& slot = {}) {
    CarryRequest request;
    request.saves = {save};
    request.to = to;
    request.slot = slot;
    request.accept = {Code::newer_there};
    return carry_it(request);
  }
};

TEST_F(States, AreLearnedWithTheirSlots) {
  Session session = open();
  EXPECT_EQ((*session.bays.find("wharf"))->shelves.front().pattern, "states/{stem}.st{slot}");
  EXPECT_EQ((*session.bays.find("pier"))->shelves.front().pattern,
            "slots/{stem}/slot {slot:pad 2}");
  EXPECT_EQ((*session.bays.find("shed"))->shelves.front().pattern, "{stem}.{slot:pad 3}");
}

TEST_F(States, KeepTheirSlotsUnderTheNameThere) {
  const auto before = test::snapshot(folder_ / "pier");
  const CarryReport report = carry_state("wharf:Dune Semaphore", "pier");
  ASSERT_EQ(report.moves.size(), 4U);
  for (const MoveReport& move : report.moves) EXPECT_EQ(move.status, MoveStatus::done);
  for (const char* slot : {"0", "1", "2", "5"})
    EXPECT_EQ(read(folder_ / (kPier + slot)), read(folder_ / (kWharf + slot)));
  EXPECT_TRUE(std::filesystem::exists(folder_ / (kPier + "3"))) << "it was there before";
  // Again: the same states are there.
  for (const MoveReport& move : carry_state("wharf:Dune Semaphore", "pier").moves)
    EXPECT_TRUE(move.nothing_to_do);
  Session session = open();
  ASSERT_TRUE(undo(session, "", {}));
  EXPECT_EQ(test::snapshot(folder_ / "pier"), before);
}

TEST_F(States, GoToAnotherSlotWhenAsked) {
  const std::string save = at(kWharf + "5");
  EXPECT_EQ(carry_state(save, "pier", "7").moves.front().to, at(kPier + "7"));
  // Slots 1 and 3 are filled, and nothing there starts at 0.
  EXPECT_EQ(carry_state(save, "pier", "free").moves.front().to, at(kPier + "2"));
  EXPECT_EQ(carry_state(save, "pier", "free").moves.front().to, at(kPier + "4"));
  EXPECT_EQ(stop_code(carry_state(save, "pier", "left")), "no-match");
  CarryRequest all;
  all.saves = {"wharf:Dune Semaphore"};
  all.to = "pier";
  all.slot = "1";
  Session session = open();
  const auto several = carry(session, all);
  ASSERT_FALSE(several);
  EXPECT_EQ(several.error().code, Code::many_match) << "four states cannot go to one slot";
}

TEST_F(States, OfAnotherProgramStop) {
  const auto before = test::snapshot(folder_ / "shed");
  const CarryReport report = carry_state(at(kWharf + "1"), "shed");
  EXPECT_EQ(stop_code(report), "other-program");
  EXPECT_EQ(test::snapshot(folder_ / "shed"), before);
  CarryRequest request;
  request.saves = {at(kWharf + "1")};
  request.to = "shed";
  request.slot = "9";
  request.accept = {Code::other_program};
  EXPECT_EQ(carry_it(request).moves.front().status, MoveStatus::done);
  EXPECT_EQ(read(folder_ / "shed/Dune Semaphore.009"), read(folder_ / (kWharf + "1")));
}

TEST_F(States, AsSavesStillStop) {
  EXPECT_EQ(stop_code(carry_one(at("downloads/Lantern Drift (Europe).srm"), "den")),
            "state-not-save");
}

TEST_F(States, OfAllGamesMoveWithTheSaves) {
  CarryRequest request;
  request.all = true;
  request.from = "wharf";
  request.to = "pier";
  request.accept = {Code::newer_there};
  EXPECT_EQ(carry_it(request).moves.size(), 4U);
}

// Names that carry a year and a maker, which the ROM's own name does not.
TEST_F(States, NamesWithMoreThanTheRomsAreImitated) {
  std::filesystem::remove_all(folder_ / "pier");
  folder_.write("pier/DUNE SEMAPHORE.bin", demo::a2600_rom());
  const Bytes state = read(folder_ / (kWharf + "0"));
  folder_.write("pier/Dune Semaphore (1982) (Quay Works).st1", state, 30);
  folder_.write("pier/Dune Semaphore (1982) (Quay Works).st2", state, 30);
  learn("pier");
  Session session = open();
  EXPECT_EQ((*session.bays.find("pier"))->shelves.front().pattern, "{stem}.st{slot}");
  EXPECT_EQ(carry_state(at(kWharf + "5"), "pier").moves.front().to,
            at("pier/Dune Semaphore (1982) (Quay Works).st5"));
}

TEST_F(States, AreListedBySlot) {
  Session session = open();
  for (const std::string& place : {std::string("wharf"), at("wharf")}) {
    const auto boards = list_states(session, place);
    ASSERT_TRUE(boards);
    ASSERT_EQ(boards->size(), 1U);
    const SlotBoard& board = boards->front();
    EXPECT_EQ(board.title, "Dune Semaphore");
    EXPECT_EQ(board.system, System::a2600);
    ASSERT_EQ(board.slots.size(), 4U);
    EXPECT_EQ(board.slots[3].slot, "5");
    ASSERT_TRUE(board.slots[3].info.picture);
    EXPECT_EQ(board.slots[3].info.picture->width, 160U);
  }
  const auto none = list_states(session, at("ferry"));
  ASSERT_FALSE(none);
  EXPECT_EQ(none.error().code, Code::no_match);
  EXPECT_EQ(list_states(session, at("nowhere")).error().code, Code::missing);
}

// Places of two programs' kinds with states of three games, of one and the same program.
class StateSlots : public test::RealPlaceTest {
 protected:
  static Bytes state(std::uint32_t seed) {
    return demo::sectioned_state("BRIGSTAT", {{"CPU ", demo::state_memory(64, seed)},
                                              {"WRAM", demo::state_memory(9000, seed)},
                                              {"VRAM", demo::state_memory(5000, seed + 1)}});
  }
  void roms(const std::string& place) {
    for (const std::string game : {"Kite", "Moss", "Tin"})
      folder_.write(place + "/" + game + " (Europe).gb", demo::gb_rom(test::upper(game), 0x03, 2));
    junk(place);
  }
  // `slots`: what stands behind the game's name.
  void states(const std::string& place, const std::vector<std::string>& slots, std::uint32_t seed,
              int age = 30) {
    roms(place);
    for (const std::string game : {"Kite", "Moss", "Tin"})
      for (const std::string& slot : slots)
        folder_.write(place + "/" + game + " (Europe)" + slot, state(seed++), age);
  }
  std::string carried(const std::string& save, const std::string& place) {
    CarryRequest request;
    request.saves = {save};
    request.to = place;
    const CarryReport report = carry_it(request);
    EXPECT_EQ(stop_code(report), "") << save;
    return report.moves.empty() ? "" : Path(report.moves.front().to).filename().string();
  }
};

TEST_F(StateSlots, AnAutomaticStateReplacesNoOtherSlots) {
  states("one", {".state", ".state1", ".state.auto"}, 1, 5);
  states("both", {".state", ".state1", ".state.auto"}, 100);
  states("numbers", {".state", ".state1", ".state3"}, 200);
  states("words", {".quick.sav", ".s01.sav", ".s02.sav"}, 300);
  for (const bool learned : {false, true}) {
    if (learned)
      for (const std::string place : {"one", "both", "numbers", "words"}) learn(place);
    const auto to = [&](const std::string& place) { return learned ? place : at(place); };
    const std::string automatic = at("one/Moss (Europe).state.auto");
    for (const std::string place : {"both", "numbers", "words"}) {
      const auto before = test::snapshot(folder_ / place);
      const auto old = test::contents(folder_ / place);
      const std::string landed = carried(automatic, to(place));
      if (place == "both") {
        EXPECT_EQ(landed, "Moss (Europe).state.auto");
      }
      if (place == "numbers") {
        EXPECT_EQ(landed, "Moss (Europe).state2") << "a free slot";
      }
      if (place == "words") {
        EXPECT_EQ(landed, "Moss (Europe).quick.sav");
      }
      expect_undo_restores(place, before);
      // A numbered one stays among the numbered ones.
      EXPECT_EQ(carried(at("one/Moss (Europe).state1"), to(place)),
                place == "words" ? "Moss (Europe).s01.sav" : "Moss (Europe).state1");
      expect_undo_restores(place, before);
    }
  }
}

TEST_F(StateSlots, LettersForTens) {
  states("tens", {".kst", ".ks1", ".ks9", ".k10", ".k12"}, 1, 5);
  states("letters", {".q0", ".q9", ".qa", ".qc"}, 100);
  states("numbers", {".state", ".state1", ".state3"}, 200);
  for (const std::string place : {"tens", "letters", "numbers"}) learn(place);
  Session session = open();
  EXPECT_EQ((*session.bays.find("tens"))->shelves.front().pattern,
            "{stem}.k{slot:tens s:first st}");
  EXPECT_EQ((*session.bays.find("letters"))->shelves.front().pattern, "{stem}.q{slot:letters a}");
  const std::vector<std::vector<std::string>> same{{".kst", ".q0", ".state"},
                                                   {".ks9", ".q9", ".state9"},
                                                   {".k10", ".qa", ".state10"},
                                                   {".k12", ".qc", ".state12"}};
  for (const auto& forms : same) {
    CarryRequest request;
    request.saves = {at("tens/Tin (Europe)" + forms[0])};
    request.accept = {Code::newer_there};
    for (const auto& [place, form] : {std::pair("letters", forms[1]), {"numbers", forms[2]}}) {
      request.to = place;
      EXPECT_EQ(Path(move_of(carry_it(request)).to).filename(), "Tin (Europe)" + form);
      Session last = open();
      ASSERT_TRUE(undo(last, "", {}));
    }
  }
}

TEST_F(StateSlots, StatesThatStayAreNamed) {
  states("one", {".state", ".state1"}, 1, 5);
  roms("none");
  for (const std::string game : {"Kite", "Moss", "Tin"}) {
    folder_.write("one/" + game + " (Europe).sav", test::random_bytes(0x2000, 9), 5);
    folder_.write("none/" + game + " (Europe).sav", test::random_bytes(0x2000, 8), 30);
  }
  CarryRequest request;
  request.all = true;
  request.from = at("one");
  request.to = at("none");
  request.plan = true;
  const CarryReport report = carry_it(request);
  EXPECT_EQ(report.moves.size(), 3U);
  ASSERT_EQ(report.notes.size(), 1U);
  EXPECT_NE(report.notes[0].text.find("6 states of gb"), std::string::npos) << report.notes[0].text;
  // Where there is nothing else, that is the answer.
  for (const std::string game : {"Kite", "Moss", "Tin"})
    std::filesystem::remove(folder_ / ("one/" + game + " (Europe).sav"));
  Session session = open();
  const auto nothing = carry(session, request);
  ASSERT_FALSE(nothing);
  EXPECT_NE(nothing.error().text.find("6 states of gb"), std::string::npos) << nothing.error().text;
}

}  // namespace
}  // namespace bayswap
