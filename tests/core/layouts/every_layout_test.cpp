// Promises that hold for every layout in the registry.
#include <gtest/gtest.h>

#include <random>

#include "bayswap/layout.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

using test::operator+;

std::vector<std::string> ids() {
  std::vector<std::string> list;
  for (const auto& layout : layouts().all()) list.push_back(layout->info().id);
  return list;
}

class EveryLayout : public testing::TestWithParam<std::string> {
 protected:
  const Layout& layout() const { return **find_layout(GetParam()); }
};

TEST_P(EveryLayout, SaysWhatItIs) {
  const LayoutInfo& info = layout().info();
  EXPECT_TRUE(info.id.starts_with(to_string(info.system)));
  EXPECT_FALSE(info.summary.empty());
  EXPECT_EQ(info.parts.empty(), info.system == System::ps2 || info.kind == Kind::folder)
      << "files of any name";
}

TEST_P(EveryLayout, WritesBackWhatItRead) {
  std::uint32_t seed = 1;
  for (const std::uint64_t size : layout().info().file_sizes) {
    if (size > (1U << 20U)) continue;
    for (const std::size_t extra : {0U, 1U, 44U, 255U}) {
      const Bytes file = test::random_bytes(static_cast<std::size_t>(size) + extra, seed++);
      const auto content = layout().read(file, {});
      if (!content || content->saves.empty()) continue;
      const auto onto_itself = layout().write({content->saves, ByteView(file), {}});
      ASSERT_TRUE(onto_itself) << onto_itself.error().text;
      EXPECT_EQ(onto_itself->bytes, file) << size << "+" << extra;
      EXPECT_TRUE(onto_itself->losses.empty());
      if (extra > 0 || !content->header.empty() || has_error(content->findings)) continue;
      const auto afresh = layout().write({content->saves, std::nullopt, {}});
      ASSERT_TRUE(afresh) << afresh.error().text;
      const auto again = layout().read(afresh->bytes, {});
      ASSERT_TRUE(again) << again.error().text;
      for (const Part& part : content->saves[0].parts) {
        const Part* other = again->saves[0].part(part.name);
        ASSERT_NE(other, nullptr);
        EXPECT_TRUE(same_progress(layout().info().system, part, *other)) << part.name;
      }
    }
  }
}

TEST_P(EveryLayout, SurvivesHostileSizesAndBytes) {
  std::mt19937 numbers(11);
  for (int round = 0; round < 400; ++round) {
    const auto& sizes = layout().info().file_sizes;
    const std::size_t usual =
        sizes.empty() ? 1000 : static_cast<std::size_t>(sizes[numbers() % sizes.size()]);
    const std::size_t size = std::min<std::size_t>(usual, 1U << 18U);
    const std::size_t cut = round % 4 == 0 ? numbers() % (size + 1) : size + numbers() % 300;
    const Bytes file = round % 3 == 0
                           ? test::filled(cut, static_cast<unsigned>(numbers() % 256))
                           : test::random_bytes(cut, static_cast<std::uint32_t>(numbers()));
    (void)layout().recognise(file, {});
    const auto content = layout().read(file, {});
    if (!content) {
      EXPECT_FALSE(content.error().text.empty());
      continue;
    }
    (void)layout().write({content->saves, ByteView(file), {}});
  }
}

TEST_P(EveryLayout, RefusesNothingAndStrangers) {
  EXPECT_FALSE(layout().read({}, {}));
  Save stranger;
  stranger.system = layout().info().system == System::ps1 ? System::gb : System::ps1;
  stranger.parts.push_back({"sram", test::random_bytes(100, 1), false});
  EXPECT_FALSE(layout().write({std::span(&stranger, 1), std::nullopt, {}}));
}

INSTANTIATE_TEST_SUITE_P(Registry, EveryLayout, testing::ValuesIn(ids()), [](const auto& info) {
  std::string name = info.param;
  std::replace(name.begin(), name.end(), '-', '_');
  return name;
});

TEST(Registry, SuggestsNearNames) {
  const auto missing = find_layout("n64-srm");
  ASSERT_FALSE(missing);
  EXPECT_EQ(missing.error().trouble, Trouble::usage);
  EXPECT_NE(missing.error().hint.text().find("n64-sram"), std::string::npos);
}

}  // namespace
}  // namespace bayswap
