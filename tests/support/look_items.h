// What `look` says of a place of the demo world.
#pragma once

#include <string>
#include <vector>

#include "bayswap/look.h"
#include "support/world.h"

namespace bayswap::test {

class LookTest : public WorldTest {
 protected:
  std::vector<Item> items(const std::string& name, const LookOptions& options = {}) {
    Session session = open();
    std::vector<Item> found;
    const auto looked =
        look(session, folder_ / name, options, [&](const Item& item) { found.push_back(item); });
    EXPECT_TRUE(looked) << looked.error().text;
    return found;
  }
  Item item(const std::string& name, const LookOptions& options = {}) {
    return items(name, options).at(0);
  }
};

}  // namespace bayswap::test
