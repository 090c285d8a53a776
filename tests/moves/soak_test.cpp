// Random carries, plays and undos over the demo world, held against a plain model in memory: what
// every file must hold after every step.
#include <random>

#include "demo/makers.h"
#include "support/world.h"

namespace bayswap {
namespace {

using test::read;

class Soak : public test::WorldTest {
 protected:
  using Files = std::map<std::string, Bytes>;

  Files all_files() {
    Files files;
    for (const std::string bay : {"reader", "den", "ferry"})
      for (const auto& entry : std::filesystem::recursive_directory_iterator(folder_ / bay))
        if (entry.is_regular_file()) files[entry.path().string()] = read(entry.path());
    return files;
  }
};

TEST_F(Soak, TheModelAndTheDiskAgree) {
  std::mt19937 numbers(2026);
  Files model = all_files();
  std::vector<Files> undo_stack;  // what was there before each command that still stands
  const std::vector<std::pair<std::string, std::string>> trips{
      {"reader:Copper Tide", "den"},   {"den:Copper Tide", "reader"},
      {"reader:Glacier Post", "den"},  {"den:Glacier Post", "reader"},
      {"reader:LANTERN DRIFT", "den"}, {"ferry:Tin Orchard", "den"},
      {"den:Tin Orchard", "ferry"}};
  std::size_t written = 0;
  std::size_t undone = 0;
  for (int round = 0; round < 300; ++round) {
    const unsigned what = static_cast<unsigned>(numbers() % 10);
    if (what < 2) {
      // Somebody plays: the chip on the reader, or the handheld.
      const bool chip = what == 0;
      const std::string name =
          chip ? "reader/Copper Tide (America).sra" : "ferry/gb/Tin Orchard (Europe).sav";
      Bytes played = model.at(at(name));
      test::put(played, 0x20 + numbers() % 0x1000,
                test::random_bytes(16, static_cast<std::uint32_t>(numbers())));
      folder_.write(name, played);
      model[at(name)] = played;
      undo_stack.clear();  // undo may now stop; the model does not follow that far
    } else if (what < 8) {
      const auto& [save, to] = trips[numbers() % trips.size()];
      const CarryReport report = carry_one(save, to, {"newer-there"});
      const Files now = all_files();
      const bool wrote = !report.moves.empty() && !report.moves[0].move.empty();
      if (wrote) {
        undo_stack.push_back(model);
        ++written;
        // Only the files that the report names may differ.
        for (const auto& [path, content] : now) {
          bool named = false;
          for (const MoveReport& move : report.moves) named = named || move.to == path;
          if (!named) {
            ASSERT_EQ(content, model.at(path)) << path;
          }
        }
        model = now;
      }
      ASSERT_EQ(all_files(), model) << "round " << round;
    } else if (!undo_stack.empty()) {
      Session session = open();
      const auto report = undo(session, "", {});
      ASSERT_TRUE(report) << report.error().text;
      model = undo_stack.back();
      undo_stack.pop_back();
      ++undone;
      ASSERT_EQ(all_files(), model) << "round " << round;
    }
  }
  EXPECT_GT(written, 30U);
  EXPECT_GT(undone, 10U);
}

}  // namespace
}  // namespace bayswap
