// Keeps a folder in history, shows how far that is, and stops when you press CTRL-C.
#include <bayswap/versions.h>

#include <csignal>
#include <cstdlib>
#include <iostream>
#include <string>

namespace {

volatile std::sig_atomic_t wants_to_stop = 0;

// The library calls this while it works. A front end moves its bar here and looks at its button.
class Bar final : public bayswap::Progress {
 public:
  /// Presses the button itself after so many calls; 0: never.
  explicit Bar(unsigned long stop_after) : stop_after_(stop_after) {}

  bool report(bayswap::Work work, std::uint64_t done, std::uint64_t all) override {
    std::cout << done;
    if (all != 0) std::cout << " of " << all;
    std::cout << (work == bayswap::Work::bytes ? " bytes\n" : "\n");
    ++calls_;
    return wants_to_stop == 0 && calls_ != stop_after_;
  }

 private:
  unsigned long stop_after_;
  unsigned long calls_ = 0;
};

}  // namespace

int main(int argc, char** argv) {
  if (argc != 3 && argc != 4) {
    std::cerr << "usage: progress_and_cancel FOLDER OWN-FOLDER [STOP-AFTER]\n";
    return 2;
  }
  std::signal(SIGINT, [](int) { wants_to_stop = 1; });
  const bayswap::Path own = argv[2];
  auto session = bayswap::Session::open(bayswap::disk(), {own / "config", own / "data"});
  if (!session) {
    std::cerr << session.error().text << "\n";
    return 1;
  }
  Bar bar(argc == 4 ? std::strtoul(argv[3], nullptr, 10) : 0);
  session->progress = &bar;
  const auto kept = bayswap::keep(*session, {{argv[1]}, "before I try something"});
  if (!kept && kept.error().code == bayswap::Code::cancelled) {
    std::cout << "stopped; what was kept until then stays in history\n";
    return 130;
  }
  if (!kept) {
    std::cerr << kept.error().text << "\n";
    return 1;
  }
  std::cout << kept->kept.size() << " saves kept, " << kept->unchanged << " were in history\n";
  return 0;
}
