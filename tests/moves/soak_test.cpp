// Random carries, plays, card changes, keeps, restores and undos over the demo world. A plain model
// in memory predicts every file after every step; the disk is only ever compared with it. Between
// the steps another program writes, makes and deletes files.
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
const std::string kPostChip = "reader/Glacier Post (America).eep";
const std::string kPostPak = "reader/Glacier Post (America).mpk";
const std::string kPostThere = "den/saves/Glacier Post (America).srm";
const std::string kDrift = "reader/LANTERN DRIFT.srm";
const std::string kDriftThere = "den/saves/Lantern Drift (Europe).srm";
const std::string kOrchard = "ferry/gb/Tin Orchard (Europe).sav";
const std::string kOrchardThere = "den/saves/Tin Orchard (Europe).srm";

constexpr std::size_t kPaks = 0x800;
constexpr std::size_t kSram = kPaks + 4 * 0x8000;
constexpr std::size_t kRegisters = 8192 + 40;  // a gb save and its clock, without the time of day

class Soak : public test::WorldTest {
 protected:
  using Files = std::map<std::string, Bytes>;

  struct Kept {
    std::string path;
    std::string version;
    Bytes bytes;
  };
  // What one command changed: each file before and after. No bytes: it was not there.
  using Change = std::map<std::string, std::pair<std::optional<Bytes>, std::optional<Bytes>>>;

  Files all_files() {
    Files files;
    for (const std::string bay : {"reader", "den", "ferry"})
      for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / bay))
        if (entry.is_regular_file())
          files[entry.path().lexically_relative(folder_.path()).string()] = read(entry.path());
    return files;
  }

  unsigned any(unsigned below) { return static_cast<unsigned>(numbers_() % below); }
  Bytes noise(std::size_t size) {
    return test::random_bytes(size, static_cast<std::uint32_t>(numbers_()));
  }

  // ---- the model: what the facts say a carry writes ----

  static void put_at(Bytes& bytes, std::size_t at, ByteView part) {
    std::ranges::copy(part, bytes.begin() + static_cast<std::ptrdiff_t>(at));
  }
  static Bytes word_reversed(ByteView chip) {
    Bytes turned(chip.size());
    for (std::size_t at = 0; at < chip.size(); ++at) turned[at] = chip[at ^ 3U];
    return turned;
  }
  static Bytes cut(const Bytes& bytes, std::size_t at, std::size_t size) {
    const ByteView view = ByteView(bytes).subspan(at, size);
    return {view.begin(), view.end()};
  }

  // The files that a trip writes, with their bytes.
  Files predicted(const std::string& save, const std::string& to) const {
    Files files;
    const auto bytes = [&](const std::string& path) { return model_.at(path); };
    if (save == "Copper Tide" && to == "den") {
      files[kTideThere] = bytes(kTideThere);
      put_at(files[kTideThere], kSram, word_reversed(bytes(kTide)));
    } else if (save == "Copper Tide") {
      files[kTide] = word_reversed(cut(bytes(kTideThere), kSram, 0x8000));
    } else if (save == "Glacier Post" && to == "den") {
      files[kPostThere] = bytes(kPostThere);
      put_at(files[kPostThere], 0, bytes(kPostChip));
      put_at(files[kPostThere], kPaks, bytes(kPostPak));
    } else if (save == "Glacier Post") {
      files[kPostChip] = cut(bytes(kPostThere), 0, 512);
      files[kPostPak] = cut(bytes(kPostThere), kPaks, 0x8000);
    } else if (save == "Lantern Drift") {
      files[kDriftThere] = bytes(kDrift);
    } else if (to == "den") {  // the time of day grows from 32 to 64 bits
      files[kOrchardThere] = bytes(kOrchard);
      files[kOrchardThere].resize(kRegisters + 8);
    } else {
      files[kOrchard] = cut(bytes(kOrchardThere), 0, kRegisters + 4);
    }
    return files;
  }

  // Takes the prediction over; gives what it changes.
  Change change_to(const Files& files) {
    Change change;
    for (const auto& [path, bytes] : files) {
      const auto old = model_.find(path);
      if (old != model_.end() && old->second == bytes) continue;
      change[path] = {old == model_.end() ? std::nullopt : std::optional(old->second), bytes};
      model_[path] = bytes;
    }
    return change;
  }
  void remember(Change change) {
    if (!change.empty()) done_.push_back(std::move(change));
  }

  // ---- the steps ----

  // Somebody plays, or another program makes, changes or deletes a file.
  void others_write() {
    const unsigned what = any(8);
    if (what == 0) {
      const std::string name = "den/notes " + std::to_string(any(20)) + ".txt";
      model_[name] = noise(1 + any(500));
      folder_.write(name, model_[name]);
    } else if (what == 1) {
      const std::string name = "den/notes " + std::to_string(any(20)) + ".txt";
      model_.erase(name);
      std::filesystem::remove(folder_ / name);
    } else {
      const std::vector<std::string> played{kTide,  kTideThere, kPostChip,     kPostThere,
                                            kDrift, kOrchard,   kOrchardThere, kDriftThere};
      const std::string& name = played[any(static_cast<unsigned>(played.size()))];
      if (!model_.contains(name)) return;
      Bytes& bytes = model_.at(name);
      const std::size_t reach = name == kPostThere   ? 512
                                : name == kTideThere ? 0x8000
                                                     : std::min<std::size_t>(bytes.size(), 8192);
      const std::size_t from = name == kTideThere ? kSram : 0;
      put_at(bytes, from + any(static_cast<unsigned>(reach - 16)), noise(16));
      folder_.write(name, bytes);
      ++played_;
    }
  }

  void carry_something() {
    struct Trip {
      std::string from, save, to;
    };
    static const std::vector<Trip> kTrips{
        {"reader", "Copper Tide", "den"},   {"den", "Copper Tide", "reader"},
        {"reader", "Glacier Post", "den"},  {"den", "Glacier Post", "reader"},
        {"reader", "LANTERN DRIFT", "den"}, {"ferry", "Tin Orchard", "den"},
        {"den", "Tin Orchard", "ferry"}};
    const Trip& trip = kTrips[any(static_cast<unsigned>(kTrips.size()))];
    const Files wanted =
        predicted(trip.save == "LANTERN DRIFT" ? "Lantern Drift" : trip.save, trip.to);
    const CarryReport report =
        carry_one(trip.from + ":" + trip.save, trip.to, {Code::newer_there, Code::in_use});
    ASSERT_FALSE(report.moves.empty());
    ASSERT_EQ(stop_code(report), "") << trip.from << ":" << trip.save;
    Change change = change_to(wanted);
    written_ += change.empty() ? 0 : 1;
    remember(std::move(change));
  }

  // On cards the model knows the saves, by name and bytes; where they lie is the card's affair.
  std::map<std::string, Bytes> saves_on_card() {
    Session session = open();
    const auto shown = show_card(session, at(kCard), "");
    EXPECT_TRUE(shown);
    std::map<std::string, Bytes> saves;
    if (shown)
      for (const CardSave& on_card : shown->card.saves)
        saves[on_card.save.name] = on_card.save.parts.front().data;
    return saves;
  }

  void change_card() {
    Session session = open();
    std::map<std::string, Bytes> wanted = saves_;
    if (saves_.size() > 2 && any(2) == 0) {
      auto gone = std::next(wanted.begin(), any(static_cast<unsigned>(wanted.size())));
      const std::string name = gone->first;
      wanted.erase(gone);
      const auto dropped = drop_saves(session, {at(kCard), {name}, {}, false, {}});
      ASSERT_TRUE(dropped) << dropped.error().text;
    } else {
      const auto put =
          put_saves(session, {at(kCard), {at("attic/cards/island.card")}, {}, false, {}});
      ASSERT_TRUE(put) << put.error().text;
      if (put->moves[0].status == MoveStatus::done) wanted.insert(island_.begin(), island_.end());
    }
    saves_ = wanted;
    ASSERT_EQ(saves_on_card(), saves_);
    remember(change_to({{kCard, read(folder_ / kCard)}}));
  }

  void keep_something() {
    const std::vector<std::string> places{kTide, kTideThere, kOrchard, kCard};
    const std::string& path = places[any(4)];
    Session session = open();
    const auto report = keep(session, {{at(path)}, "soak"});
    ASSERT_TRUE(report) << report.error().text;
    for (const KeptSave& kept : report->kept)
      kept_.push_back({path, kept.version, model_.at(path)});
  }

  void restore_something() {
    if (kept_.empty()) return;
    const Kept& kept = kept_[any(static_cast<unsigned>(kept_.size()))];
    Session session = open();
    const auto report = restore(session, {at(kept.path), kept.version, false});
    ASSERT_TRUE(report) << report.error().text;
    remember(change_to({{kept.path, kept.bytes}}));
    if (kept.path == kCard) saves_ = saves_on_card();
  }

  // The last command is taken back, exactly; or nothing is, where somebody wrote since.
  void undo_something() {
    if (done_.empty()) return;
    const Change last = done_.back();
    const bool changed = std::ranges::any_of(last, [&](const auto& file) {
      const auto there = model_.find(file.first);
      return there == model_.end() ? file.second.second.has_value()
                                   : there->second != file.second.second;
    });
    Session session = open();
    const auto report = undo(session, "", {});
    ASSERT_TRUE(report) << report.error().text;
    if (changed) {
      EXPECT_EQ(stop_code(*report), "newer-there");
      ++refused_;
      // Nobody wants it any more: what is there now goes to history, and the old comes back.
      const auto forced = undo(session, "", {Code::newer_there});
      ASSERT_TRUE(forced) << forced.error().text;
    }
    for (const auto& [path, versions] : last) {
      if (versions.first)
        model_[path] = *versions.first;
      else
        model_.erase(path);
      if (path == kCard) saves_ = saves_on_card();
    }
    done_.pop_back();
    ++undone_;
  }

  std::mt19937 numbers_{2026};
  Files model_;
  std::vector<Change> done_;  // commands that still stand
  std::vector<Kept> kept_;
  std::map<std::string, Bytes> saves_;   // on the card
  std::map<std::string, Bytes> island_;  // what is put on it
  std::size_t written_ = 0;
  std::size_t undone_ = 0;
  std::size_t refused_ = 0;
  std::size_t played_ = 0;
};

TEST_F(Soak, TheModelPredictsEveryFile) {
  model_ = all_files();
  saves_ = saves_on_card();
  {
    Session session = open();
    const auto island = show_card(session, at("attic/cards/island.card"), "");
    ASSERT_TRUE(island);
    for (const CardSave& on_card : island->card.saves)
      island_[on_card.save.name] = on_card.save.parts.front().data;
  }
  const int wanted = test::rounds(300, 8);
  for (int round = 0; round < wanted; ++round) {
    const unsigned what = any(24);
    if (what < 6)
      others_write();
    else if (what < 13)
      carry_something();
    else if (what < 16)
      change_card();
    else if (what < 18)
      keep_something();
    else if (what < 19)
      restore_something();
    else
      undo_something();
    if (HasFatalFailure()) return;
    ASSERT_EQ(all_files() == model_, true) << "round " << round << ", step " << what;
  }
  std::printf(
      "%d operations: %zu written, %zu undone (%zu after others wrote), %zu played, %zu "
      "versions kept\n",
      wanted, written_, undone_, refused_, played_, kept_.size());
  const auto some = static_cast<std::size_t>(wanted);
  EXPECT_GT(written_, some / 10);
  EXPECT_GT(undone_, some / 30);
  // It is rare: a short run may have none.
  constexpr int kMany = 100;
  if (wanted >= kMany) {
    EXPECT_GT(refused_, some / kMany);
  }
  Session session = open();
  const auto checked = verify_history(session);
  ASSERT_TRUE(checked);
  EXPECT_TRUE(checked->damaged.empty());
}

}  // namespace
}  // namespace bayswap
