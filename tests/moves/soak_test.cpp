// Random carries, plays, card changes, keeps, restores and undos over the demo world, held against
// a plain model in memory: what every file must hold after every step.
#include <algorithm>
#include <random>

#include "bayswap/card_file.h"
#include "bayswap/versions.h"
#include "demo/makers.h"
#include "support/card_zoo.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::read;

const std::string kCard = "den/cards/left.card";
const std::string kTide = "reader/Copper Tide (America).sra";
const std::string kTideThere = "den/saves/Copper Tide (America).srm";
const std::string kDrift = "reader/LANTERN DRIFT.srm";
const std::string kDriftThere = "den/saves/Lantern Drift (Europe).srm";
const std::string kOrchard = "ferry/gb/Tin Orchard (Europe).sav";

class Soak : public test::WorldTest {
 protected:
  using Files = std::map<std::string, Bytes>;

  struct Kept {
    std::string path;
    std::string version;
    Bytes bytes;
  };

  Files all_files() {
    Files files;
    for (const std::string bay : {"reader", "den", "ferry"})
      for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / bay))
        if (entry.is_regular_file()) files[entry.path().string()] = read(entry.path());
    return files;
  }

  unsigned any(unsigned below) { return static_cast<unsigned>(numbers_() % below); }

  // The chip as the container holds it: words reversed, at the place that the facts give.
  static Bytes sram_in(const Bytes& container) {
    constexpr std::size_t kSram = 0x800 + 4 * 0x8000;
    Bytes chip(0x8000);
    for (std::size_t at = 0; at < chip.size(); ++at) chip[at] = container.at(kSram + (at ^ 3U));
    return chip;
  }

  void play() {
    const std::string name = any(2) == 0 ? kTide : kOrchard;
    Bytes played = model_.at(at(name));
    test::put(played, 0x20 + any(0x1000),
              test::random_bytes(16, static_cast<std::uint32_t>(numbers_())));
    folder_.write(name, played);
    model_[at(name)] = played;
    undo_.clear();  // undo may now stop; the model does not follow that far
    ++played_;
  }

  void take_over(const CarryReport& report) {
    const bool wrote = std::ranges::any_of(
        report.moves, [](const MoveReport& move) { return !move.move.empty(); });
    if (!wrote) return;
    undo_.push_back(model_);
    if (undo_.size() > 64) undo_.erase(undo_.begin());
    const Files now = all_files();
    for (const auto& [path, content] : now) {
      const bool named = std::ranges::any_of(
          report.moves, [&](const MoveReport& move) { return move.to == path; });
      if (!named) {
        ASSERT_EQ(content, model_.at(path)) << path << " was not named";
      }
    }
    model_ = now;
    ++written_;
  }

  void carry_something() {
    static const std::vector<std::pair<std::string, std::string>> kTrips{
        {"reader:Copper Tide", "den"},   {"den:Copper Tide", "reader"},
        {"reader:Glacier Post", "den"},  {"den:Glacier Post", "reader"},
        {"reader:LANTERN DRIFT", "den"}, {"ferry:Tin Orchard", "den"},
        {"den:Tin Orchard", "ferry"}};
    const auto& [save, to] = kTrips[any(static_cast<unsigned>(kTrips.size()))];
    const CarryReport report = carry_one(save, to, {"newer-there"});
    take_over(report);
    if (HasFatalFailure() || report.moves.empty()) return;
    if (report.moves[0].status != MoveStatus::done) return;
    // What must be there now is told by the other side.
    if (save.ends_with("Copper Tide")) {
      EXPECT_EQ(sram_in(model_.at(at(kTideThere))), model_.at(at(kTide)));
    }
    if (save.ends_with("DRIFT")) {
      EXPECT_EQ(model_.at(at(kDriftThere)), model_.at(at(kDrift)));
    }
  }

  void change_card() {
    Session session = open();
    const auto shown = show_card(session, at(kCard), "");
    ASSERT_TRUE(shown);
    const auto& saves = shown->card.saves;
    if (saves.size() > 2 && any(2) == 0) {
      const std::string name = saves[any(static_cast<unsigned>(saves.size()))].save.name;
      const auto dropped = drop_saves(session, {at(kCard), {name}, {}, false, {}});
      ASSERT_TRUE(dropped) << dropped.error().text;
      names_.erase(name);
      take_over(dropped->report);
    } else {
      const auto put =
          put_saves(session, {at(kCard), {at("attic/cards/island.card")}, {}, false, {}});
      ASSERT_TRUE(put) << put.error().text;
      if (put->moves[0].status == MoveStatus::done) names_.insert("BESLES-00418NIGHT");
      take_over(*put);
    }
    const auto after = show_card(session, at(kCard), "");
    ASSERT_TRUE(after);
    std::set<std::string> there;
    for (const CardSave& save : after->card.saves) there.insert(save.save.name);
    EXPECT_EQ(there, names_);
  }

  void keep_something() {
    const std::vector<std::string> places{at(kTide), at(kTideThere), at(kOrchard), at(kCard)};
    Session session = open();
    const auto report = keep(session, {{places[any(4)]}, "soak"});
    ASSERT_TRUE(report) << report.error().text;
    for (const KeptSave& kept : report->kept)
      kept_.push_back({kept.path.string(), kept.version, model_.at(kept.path.string())});
  }

  void restore_something() {
    if (kept_.empty()) return;
    const Kept& kept = kept_[any(static_cast<unsigned>(kept_.size()))];
    Session session = open();
    const auto report = restore(session, {kept.path, kept.version, false});
    ASSERT_TRUE(report) << report.error().text;
    take_over(*report);
    ASSERT_EQ(read(kept.path), kept.bytes) << kept.path << " " << kept.version;
    note_names();
  }

  void undo_something() {
    if (undo_.empty()) return;
    Session session = open();
    const auto report = undo(session, "", {});
    ASSERT_TRUE(report) << report.error().text;
    model_ = undo_.back();
    undo_.pop_back();
    ++undone_;
    note_names();
  }

  void note_names() {
    Session session = open();
    const auto shown = show_card(session, at(kCard), "");
    ASSERT_TRUE(shown);
    names_.clear();
    for (const CardSave& save : shown->card.saves) names_.insert(save.save.name);
  }

  std::mt19937 numbers_{2026};
  Files model_;
  std::vector<Files> undo_;  // what was there before each command that still stands
  std::vector<Kept> kept_;
  std::set<std::string> names_;  // on the card
  std::size_t written_ = 0;
  std::size_t undone_ = 0;
  std::size_t played_ = 0;
};

TEST_F(Soak, TheModelAndTheDiskAgree) {
  model_ = all_files();
  note_names();
  const int wanted = test::rounds(300);
  for (int round = 0; round < wanted; ++round) {
    const unsigned what = any(20);
    if (what < 3)
      play();
    else if (what < 10)
      carry_something();
    else if (what < 13)
      change_card();
    else if (what < 15)
      keep_something();
    else if (what < 16)
      restore_something();
    else
      undo_something();
    if (HasFatalFailure()) return;
    ASSERT_EQ(all_files(), model_) << "round " << round;
  }
  std::printf("%d operations: %zu written, %zu undone, %zu played, %zu versions kept\n", wanted,
              written_, undone_, played_, kept_.size());
  EXPECT_GT(written_, 30U);
  EXPECT_GT(undone_, 10U);
  Session session = open();
  const auto checked = verify_history(session);
  ASSERT_TRUE(checked);
  EXPECT_TRUE(checked->damaged.empty());
}

}  // namespace
}  // namespace bayswap
