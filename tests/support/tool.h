// The tool run as a process in a demo world.
#pragma once

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "built_paths.h"
#include "support/program.h"
#include "support/world.h"

namespace bayswap::test {

using json = nlohmann::json;

class Tool : public WorldTest {
 protected:
  Outcome run(std::vector<std::string> words) {
    words.insert(words.begin(), BAYSWAP_TOOL);
    return run_program(
        words, folder_.path(),
        {"XDG_CONFIG_HOME=" + at("xdg/config"), "XDG_DATA_HOME=" + at("xdg/data"), "NO_COLOR=1"});
  }
  json object(std::vector<std::string> words, int status = 0) {
    words.emplace_back("--json");
    const Outcome outcome = run(words);
    EXPECT_EQ(outcome.status, status) << outcome.out << outcome.err;
    json parsed = json::parse(outcome.out, nullptr, false);
    EXPECT_FALSE(parsed.is_discarded()) << outcome.out;
    EXPECT_EQ(parsed.value("schema", 0), 1);
    return parsed;
  }
  void SetUp() override {
    WorldTest::SetUp();
    std::filesystem::create_directories(folder_ / "xdg/config/bayswap");
    for (const std::string file : {"catalog.toml", "bays.toml"})
      std::filesystem::copy(folder_ / "own/config" / file, folder_ / "xdg/config/bayswap" / file);
  }
};

}  // namespace bayswap::test
