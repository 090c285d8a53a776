// A project of somebody else: it finds the installed package, adds a layout of its own, and carries
// saves: it shows a plan, executes it with progress, cancels another, and undoes.
//
//   outside WORLD    WORLD: what `bayswap demo --build-only` made
#include <bayswap/carry.h>
#include <bayswap/layout.h>

#include <iostream>
#include <memory>
#include <optional>
#include <string>

namespace {

class MyLayout final : public bayswap::Layout {
 public:
  MyLayout() {
    info_.id = "nes-my-box";
    info_.system = bayswap::System::nes;
    info_.summary = "one byte in front of the chip";
    info_.parts = {"sram"};
  }
  const bayswap::LayoutInfo& info() const override { return info_; }
  std::optional<bayswap::Match> recognise(bayswap::ByteView file,
                                          const bayswap::Hints&) const override {
    if (file.size() != 8193) return std::nullopt;
    return bayswap::Match{bayswap::Confidence::certain, "its size", bayswap::Basis::structure};
  }
  bayswap::Result<bayswap::Content> read(bayswap::ByteView file,
                                         const bayswap::Hints&) const override {
    bayswap::Content content;
    content.saves.emplace_back().parts.push_back({"sram", {file.begin() + 1, file.end()}, false});
    return content;
  }
  bayswap::Result<bayswap::Written> write(const bayswap::WriteRequest&) const override {
    return bayswap::fail(bayswap::Trouble::stopped, bayswap::Code::no_match, "not written here");
  }

 private:
  bayswap::LayoutInfo info_;
};

}  // namespace

namespace {

bool adds_a_layout() {
  if (!bayswap::layouts().add(std::make_unique<MyLayout>())) return false;
  if (bayswap::layouts().add(std::make_unique<MyLayout>())) return false;
  const bayswap::Bytes file(8193);
  const auto guesses = bayswap::identify(file, {});
  return !guesses.empty() && guesses.front().layout->info().id == "nes-my-box";
}

// What a front end shows while it works; `stop` is its button.
class Bar final : public bayswap::Progress {
 public:
  bool report(bayswap::Work, std::uint64_t done, std::uint64_t all) override {
    std::cout << done << " of " << all << "\n";
    ++told;
    return !stop;
  }
  int told = 0;
  bool stop = false;
};

// A front end words what helps in its own way.
std::string shown(const bayswap::Hint& hint) {
  return hint.text([](bayswap::Remedy remedy, const std::string& with) {
    return "[" + std::string(to_string(remedy)) + (with.empty() ? "" : ": " + with) + "]";
  });
}

bool failed(const bayswap::Error& error) {
  std::cerr << to_string(error.code) << ": " << error.text << " " << shown(error.hint) << "\n";
  return false;
}

bool carries(const bayswap::Path& world) {
  auto session = bayswap::Session::open(bayswap::disk(), {world / "my/config", world / "my/data"});
  if (!session) return failed(session.error());
  for (const std::string name : {"reader", "den"}) {
    const auto bay = learn_bay(bayswap::disk(), session->catalog, name, world / name);
    if (!bay) return failed(bay.error());
    if (auto put = session->bays.put(bayswap::disk(), session->bays_file(), *bay); !put)
      return failed(put.error());
  }
  bayswap::CarryRequest request;
  request.all = true;
  request.from = "reader";
  request.to = "den";
  auto plan = bayswap::CarryPlan::make(*session, request);
  if (!plan) return failed(plan.error());
  std::size_t planned = 0;
  for (const bayswap::MoveReport& move : plan->report().moves) {
    std::cout << to_string(move.status) << " " << move.to << "\n";
    for (const bayswap::Finding& check : move.checks)
      std::cout << "  " << to_string(check.code) << ": " << check.text << " " << shown(check.hint)
                << "\n";
    planned += move.status == bayswap::MoveStatus::planned ? 1 : 0;
  }
  Bar bar;
  session->progress = &bar;
  const auto done = plan->execute();
  if (!done) return failed(done.error());
  std::size_t carried = 0;
  for (const bayswap::MoveReport& move : done->moves)
    carried += move.status == bayswap::MoveStatus::done ? 1 : 0;
  if (planned == 0 || carried != planned || bar.told == 0) return false;

  auto other = bayswap::CarryPlan::make(*session, request);
  if (!other) return failed(other.error());
  bar.stop = true;
  const auto cancelled = other->execute();
  if (cancelled || cancelled.error().code != bayswap::Code::cancelled) return false;
  bar.stop = false;

  const auto undone = undo(*session, "", {});
  if (!undone) return failed(undone.error());
  return true;
}

}  // namespace

int main(int count, char** words) {
  if (count != 2) return 2;
  return adds_a_layout() && carries(words[1]) ? 0 : 1;
}
