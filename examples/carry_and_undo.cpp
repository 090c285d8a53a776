// Carries a save between two folders with a plan first, and takes it back.
#include <bayswap/carry.h>

#include <iostream>

namespace {

void print(const bayswap::CarryReport& report) {
  for (const bayswap::MoveReport& move : report.moves) {
    std::cout << to_string(move.status) << ": " << move.game.title << " to " << move.to << "\n";
    for (const bayswap::Finding& check : move.checks)
      std::cout << "  " << to_string(check.code) << ": " << check.text << "\n";
  }
}

int fail(const bayswap::Error& error) {
  std::cerr << error.text << "\n" << error.hint.text() << "\n";
  return 1;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 5) {
    std::cerr << "usage: carry_and_undo SAVE FROM-FOLDER TO-FOLDER OWN-FOLDER\n";
    return 2;
  }
  const bayswap::Path own = argv[4];
  auto session = bayswap::Session::open(bayswap::disk(), {own / "config", own / "data"});
  if (!session) return fail(session.error());
  for (const auto& [name, place] : {std::pair{"from", argv[2]}, std::pair{"to", argv[3]}}) {
    const auto bay = bayswap::learn_bay(bayswap::disk(), session->catalog, name, place);
    if (!bay) return fail(bay.error());
    if (auto kept = session->bays.put(bayswap::disk(), session->bays_file(), *bay); !kept)
      return fail(kept.error());
  }
  bayswap::CarryRequest request;
  request.saves = {argv[1]};
  request.to = "to";
  auto plan = bayswap::CarryPlan::make(*session, request);
  if (!plan) return fail(plan.error());
  print(plan->report());

  const auto done = plan->execute();
  if (!done) return fail(done.error());
  print(*done);

  const auto back = undo(*session, "", {});
  if (!back) return fail(back.error());
  print(*back);
  return 0;
}
