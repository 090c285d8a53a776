// The rules of a sync as a small model: devices that play, lose and damage a save, and sync in all
// orders, also with a view of the hub that is old.
#include <gtest/gtest.h>

#include <algorithm>
#include <map>

#include "core/sync/decide.h"

namespace bayswap {
namespace {

// Contents are numbers; 0 is blank.
constexpr int kBlank = 0;
constexpr int kNothing = -1;

Digest digest_of(int content) {
  Digest digest{};
  digest[0] = static_cast<std::byte>(content + 1);
  return digest;
}

struct Device {
  int content = kNothing;
  std::optional<Agreed> agreed;
  std::size_t seen = 0;  // versions of the hub that it knows
  bool held = false;
};

class World {
 public:
  explicit World(std::size_t devices) : devices_(devices) {}

  void play(std::size_t device) {
    devices_[device].content = ++last_;
    // What is on a disk when a sync looks at it must never be lost.
  }
  void lose(std::size_t device) { devices_[device].content = kNothing; }
  void blank(std::size_t device) { devices_[device].content = kBlank; }
  void look(std::size_t device) { devices_[device].seen = hub_.size(); }

  // What a sync does after it has looked at the hub.
  void act(std::size_t number) {
    Device& device = devices_[number];
    on_disk_.insert(device.content);
    std::vector<SaveVersion> known(hub_.begin(),
                                   hub_.begin() + static_cast<std::ptrdiff_t>(device.seen));
    // It always knows what it made known itself.
    for (std::size_t i = device.seen; i < hub_.size(); ++i)
      if (hub_[i].device == std::to_string(number)) known.push_back(hub_[i]);
    VersionGraph graph(known);
    device.held = false;
    if (device.content == kNothing) {
      if (device.agreed) device.agreed->interrupted = true;
      if (device.agreed || graph.saves().empty()) return;
    } else {
      decide(number, graph, known);
      graph = VersionGraph(known);
      if (device.held || graph.saves().empty()) return;
    }
    const PlaceDecision decision =
        decide_place(graph, graph.saves().front(), device.agreed ? device.agreed->version : "");
    if (decision.step != PlaceStep::bring) return;
    const SaveVersion& newest = *graph.find(decision.version);
    // What is replaced is known to all before, or holds nothing.
    const bool holds = device.content != kNothing && device.content != kBlank;
    EXPECT_TRUE(!holds || is_known(device.content)) << device.content;
    device.content = static_cast<int>(newest.progress[0]) - 1;
    device.agreed = Agreed{newest.id, newest.progress, false};
  }

  void sync(std::size_t device) {
    look(device);
    act(device);
  }

  void take_first_head() {
    VersionGraph graph(hub_);
    if (graph.saves().empty()) return;
    const SyncedSave& save = graph.saves().front();
    SaveVersion settled = graph.versions()[save.heads.front()];
    settled.parents.clear();
    for (const std::size_t tip : save.tips) settled.parents.push_back(graph.versions()[tip].id);
    settled.on_purpose = true;
    add(settled);
  }

  // Everybody syncs twice, and nothing is played meanwhile.
  void settle_down() {
    for (int round = 0; round < 2; ++round)
      for (std::size_t i = 0; i < devices_.size(); ++i) sync(i);
  }

  void check(const std::string& how) {
    for (const int content : on_disk_) {
      const bool bad = content == kNothing || content == kBlank;
      EXPECT_TRUE(bad || is_known(content) || is_held(content)) << how << " lost " << content;
    }
    const VersionGraph graph(hub_);
    if (graph.saves().empty()) return;
    ASSERT_EQ(graph.saves().size(), 1U) << how;
    const SyncedSave& save = graph.saves().front();
    for (const Device& device : devices_) {
      if (device.content == kNothing || device.held) continue;
      if (device.content == kBlank && !device.agreed) continue;
      if (save.heads.size() > 1) continue;  // a conflict is shown to all
      EXPECT_EQ(digest_of(device.content), graph.versions()[save.heads.front()].progress) << how;
    }
  }

  [[nodiscard]] std::size_t heads() const {
    const VersionGraph graph(hub_);
    return graph.saves().empty() ? 0 : graph.saves().front().heads.size();
  }
  [[nodiscard]] int content(std::size_t device) const { return devices_[device].content; }

 private:
  void add(SaveVersion version) {
    version.id = "v" + std::to_string(hub_.size());
    hub_.push_back(std::move(version));
  }

  void decide(std::size_t number, const VersionGraph& graph, std::vector<SaveVersion>& known) {
    Device& device = devices_[number];
    LocalSave save;
    save.progress = digest_of(device.content);
    save.blank = device.content == kBlank;
    save.size = save.filled = 100;
    save.agreed = device.agreed;
    const SyncedSave* history = graph.saves().empty() ? nullptr : &graph.saves().front();
    const LocalDecision decision = decide_local(save, graph, history, {});
    switch (decision.step) {
      case LocalStep::hold:
        device.held = true;
        if (device.agreed) device.agreed->interrupted = true;
        return;
      case LocalStep::leave: return;
      case LocalStep::publish: {
        SaveVersion version;
        version.identity.game.title = "Copper Tide";
        version.device = std::to_string(number);
        version.parents = decision.parents;
        version.progress = save.progress;
        version.parts.push_back({"sram", 100, false, {}, {}});
        version.filled = 100;
        add(version);
        known.push_back(hub_.back());
        device.agreed = Agreed{hub_.back().id, save.progress, false};
        return;
      }
      default: device.agreed = Agreed{decision.version, save.progress, false}; return;
    }
  }

  [[nodiscard]] bool is_known(int content) const {
    return std::ranges::any_of(
        hub_, [&](const SaveVersion& version) { return version.progress == digest_of(content); });
  }
  [[nodiscard]] bool is_held(int content) const {
    return std::ranges::any_of(
        devices_, [&](const Device& device) { return device.held && device.content == content; });
  }

  std::vector<Device> devices_;
  std::vector<SaveVersion> hub_;
  std::set<int> on_disk_;  // contents that a sync saw
  int last_ = kBlank;
};

enum class Act { play, sync, look, act, lose, blank };
constexpr int kActs = 6;

void do_one(World& world, int what, std::size_t devices) {
  const auto device = static_cast<std::size_t>(what) % devices;
  switch (static_cast<Act>(what / static_cast<int>(devices))) {
    case Act::play: return world.play(device);
    case Act::sync: return world.sync(device);
    case Act::look: return world.look(device);
    case Act::act: return world.act(device);
    case Act::lose: return world.lose(device);
    case Act::blank: return world.blank(device);
  }
}

// All schedules of so many steps.
void run_all(std::size_t devices, int steps) {
  const int choices = kActs * static_cast<int>(devices);
  std::size_t schedules = 1;
  for (int i = 0; i < steps; ++i) schedules *= static_cast<std::size_t>(choices);
  for (std::size_t schedule = 0; schedule < schedules; ++schedule) {
    for (const bool begun : {false, true}) {
      World world(devices);
      if (begun) {
        world.play(0);
        world.settle_down();
      }
      std::size_t rest = schedule;
      for (int i = 0; i < steps; ++i, rest /= static_cast<std::size_t>(choices))
        do_one(world, static_cast<int>(rest % static_cast<std::size_t>(choices)), devices);
      world.settle_down();
      world.check("schedule " + std::to_string(schedule));
      if (::testing::Test::HasFailure()) return;
    }
  }
}

TEST(SyncRules, TwoDevicesAndFourSteps) {
  run_all(2, 4);
}

TEST(SyncRules, ThreeDevicesAndThreeSteps) {
  run_all(3, 3);
}

// Nobody chooses for the user.
TEST(SyncRules, AConflictStaysUntilSomebodyTakesAVersion) {
  World world(3);
  world.play(0);
  world.settle_down();
  world.play(0);
  world.play(1);
  world.settle_down();
  world.settle_down();
  EXPECT_EQ(world.heads(), 2U);
  EXPECT_EQ(world.content(0), 2);
  EXPECT_EQ(world.content(1), 3);
  EXPECT_EQ(world.content(2), 1) << "what nobody can know is not carried";
  world.take_first_head();
  world.settle_down();
  EXPECT_EQ(world.heads(), 1U);
  EXPECT_EQ(world.content(0), world.content(1));
  EXPECT_EQ(world.content(0), world.content(2));
}

// A game begun anew after its save was lost does not replace the old one.
TEST(SyncRules, AGameBegunAnewIsAConflict) {
  for (const bool blank : {false, true}) {
    World world(2);
    world.play(0);
    world.settle_down();
    if (blank)
      world.blank(1);
    else
      world.lose(1);
    world.sync(1);
    world.play(1);
    world.settle_down();
    EXPECT_EQ(world.heads(), 2U);
    EXPECT_EQ(world.content(0), 1);
    EXPECT_EQ(world.content(1), 2);
  }
}

LocalSave save_of(std::uint64_t size, std::uint64_t filled, unsigned holds) {
  LocalSave save;
  save.progress[0] = static_cast<std::byte>(holds);
  save.size = size;
  save.filled = filled;
  return save;
}

TEST(SyncRules, BadSavesAreHeldBackUntilTheyAreAccepted) {
  SaveVersion before;
  before.id = "v0";
  before.identity.game.title = "Copper Tide";
  before.parts.push_back({"sram", 8192, false, {}, {}});
  before.filled = 4000;
  before.progress[0] = std::byte{1};
  const VersionGraph graph({before});
  const SyncedSave* history = &graph.saves().front();
  const auto decide = [&](LocalSave save, const std::set<Code>& accept = {}) {
    save.agreed = Agreed{"v0", before.progress, false};
    return decide_local(save, graph, history, accept);
  };
  EXPECT_EQ(decide(save_of(8192, 1001, 2)).step, LocalStep::publish);
  EXPECT_EQ(decide(save_of(4096, 4000, 2)).step, LocalStep::publish);
  const LocalDecision less = decide(save_of(8192, 999, 2));
  EXPECT_EQ(less.step, LocalStep::hold);
  EXPECT_EQ(less.reason.code, Code::much_smaller);
  EXPECT_EQ(decide(save_of(4095, 4000, 2)).reason.code, Code::much_smaller);
  LocalSave blank = save_of(8192, 0, 2);
  blank.blank = true;
  EXPECT_EQ(decide(blank).reason.code, Code::blank_source);
  EXPECT_EQ(decide(blank, {Code::much_smaller}).step, LocalStep::hold);
  const LocalDecision accepted = decide(blank, {Code::blank_source});
  EXPECT_EQ(accepted.step, LocalStep::publish);
  EXPECT_EQ(accepted.parents, std::vector<std::string>{"v0"});
  LocalSave broken = save_of(8192, 4000, 2);
  broken.problem = Finding{Level::error, Code::damaged, "broken", ""};
  EXPECT_EQ(decide(broken).reason.code, Code::damaged);
}

TEST(SyncRules, OlderContentIsBehindUnlessItWasPutThereOnPurpose) {
  SaveVersion first;
  first.id = "v0";
  first.identity.game.title = "Copper Tide";
  first.progress[0] = std::byte{1};
  SaveVersion second = first;
  second.id = "v1";
  second.parents = {"v0"};
  second.progress[0] = std::byte{2};
  const VersionGraph graph({first, second});
  LocalSave save = save_of(100, 50, 1);
  save.agreed = Agreed{"v1", second.progress, false};
  const LocalDecision behind = decide_local(save, graph, &graph.saves().front(), {});
  EXPECT_EQ(behind.step, LocalStep::adopt);
  EXPECT_EQ(behind.version, "v0");
  EXPECT_EQ(decide_place(graph, graph.saves().front(), "v0").step, PlaceStep::bring);
  save.put_on_purpose = true;
  const LocalDecision again = decide_local(save, graph, &graph.saves().front(), {});
  EXPECT_EQ(again.step, LocalStep::publish);
  EXPECT_EQ(again.parents, std::vector<std::string>{"v1"});
}

}  // namespace
}  // namespace bayswap
