// Places as people have them: full of other things, learned or not.
#pragma once

#include <gtest/gtest.h>

#include <cctype>
#include <map>
#include <string>

#include "bayswap/carry.h"
#include "support/world.h"

namespace bayswap::test {

inline std::string upper(std::string text) {
  for (char& c : text) c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
  return text;
}

class RealPlaceTest : public WorldTest {
 protected:
  /// What ordinary folders are full of.
  void junk(const std::string& folder) {
    folder_.write(folder + "/readme.txt", std::string("press start\n"));
    folder_.write(folder + "/.config/settings.ini", std::string("[video]\nscale=2\n"));
    folder_.write(folder + "/thumbs/Kite (Europe).png",
                  bytes({0x89, 'P', 'N', 'G', 0x0D, 0x0A, 0x1A, 0x0A}) + random_bytes(900, 1));
    folder_.write(folder + "/cache/0000000f.bin", random_bytes(8192, 2));
    folder_.write(folder + "/logs/run.log.1", std::string(9000, 'x') + "\n");
  }

  MoveReport move_of(const CarryReport& report) {
    EXPECT_EQ(report.moves.size(), 1U);
    return report.moves.empty() ? MoveReport{} : report.moves.front();
  }

  void expect_undo_restores(const std::string& place,
                            const std::map<std::string, std::string>& before) {
    Session session = open();
    const auto undone = undo(session, "", {});
    ASSERT_TRUE(undone) << undone.error().text;
    EXPECT_EQ(snapshot(folder_ / place), before) << place;
  }
};

}  // namespace bayswap::test
