// What a state says of itself: its name, its maker, its picture.
#include <gtest/gtest.h>

#include "bayswap/state.h"
#include "core/packing/packing.h"
#include "core/states/sections.h"
#include "demo/state_makers.h"
#include "support/bytes.h"

namespace bayswap {
namespace {

using test::bytes;
using test::operator+;

TEST(StateNames, TellGameAndSlot) {
  struct Case {
    const char* name;
    const char* stem;
    const char* slot;
  };
  for (const Case& one :
       {Case{"Dune Semaphore.st0", "Dune Semaphore", "0"},
        Case{"Dune Semaphore.state", "Dune Semaphore", "0"},
        Case{"Dune Semaphore.state12", "Dune Semaphore", "12"},
        Case{"Dune Semaphore.003", "Dune Semaphore", "3"},
        Case{"Dune Semaphore (1982) (Quay Works).st5", "Dune Semaphore (1982) (Quay Works)", "5"},
        Case{"Dune Semaphore (4).snap", "Dune Semaphore", "4"},
        Case{"Dune Semaphore slot 07.z", "Dune Semaphore", "7"},
        Case{"Dune Semaphore_2.z", "Dune Semaphore", "2"}, Case{"Harbour 6.z", "Harbour 6", ""},
        Case{"Harbour 6.st1", "Harbour 6", "1"}, Case{"Kites (1982).z", "Kites (1982)", ""},
        Case{"Dune.state.auto", "Dune", ""}, Case{"Dune.s01.sav", "Dune", "1"},
        Case{"Dune.state3.gz", "Dune", "3"}, Case{"Mr. Dune.z", "Mr. Dune", ""},
        Case{"noext", "noext", ""}, Case{".st1", ".st1", ""}}) {
    const StateName name = state_name_of(one.name);
    EXPECT_EQ(name.stem, one.stem) << one.name;
    EXPECT_EQ(name.slot, one.slot) << one.name;
  }
}

TEST(Sections, ByHand) {
  // A header of five bytes, then `CPU ` with three bytes and `RAM ` with one, big-endian lengths.
  const Bytes state = bytes(
      {9, 9, 9, 9, 9, 'C', 'P', 'U', ' ', 0, 0, 0, 3, 1, 2, 3, 'R', 'A', 'M', ' ', 0, 0, 0, 1, 7});
  const auto sections = sections_of(state);
  ASSERT_EQ(sections.size(), 2U);
  EXPECT_EQ(sections[0].tag, "CPU ");
  EXPECT_EQ(sections[0].offset, 13U);
  EXPECT_EQ(sections[0].size, 3U);
  EXPECT_EQ(sections[1].offset, 24U);
  EXPECT_TRUE(sections_of(state + bytes({1})).empty()) << "they have to reach the end";
  EXPECT_TRUE(sections_of(test::random_bytes(4000, 1)).empty());
  EXPECT_TRUE(sections_of({}).empty());
}

StateMaker maker_of(const Bytes& state) {
  const auto info = read_state(state, "x");
  EXPECT_TRUE(info);
  return info ? info->maker : StateMaker{};
}

TEST(StateMakers, OneProgramIsKnownAgain) {
  const auto state = [](std::uint32_t seed, const std::string& mark = "TIDEPOOL") {
    return demo::sectioned_state(
        mark, {{"CPU ", demo::state_memory(64, seed)}, {"RAM ", demo::state_memory(9000, seed)}});
  };
  const StateMaker own = maker_of(state(1));
  EXPECT_EQ(own.mark, "TIDEPOOL");
  EXPECT_EQ(own.chunks, (std::vector<std::string>{"CPU ", "RAM "}));
  EXPECT_TRUE(same_program(own, maker_of(state(2)), true));
  EXPECT_TRUE(same_program(own, maker_of(state(2)), false));
  EXPECT_FALSE(same_program(own, maker_of(state(2, "GANGWAYS")), true));
  EXPECT_FALSE(same_program(own, maker_of(demo::packed_state(state(2))), true));
  const Bytes others = demo::sectioned_state(
      "TIDEPOOL", {{"MACH", demo::state_memory(64, 1)}, {"MEMO", demo::state_memory(9000, 1)}});
  EXPECT_FALSE(same_program(own, maker_of(others), true));
  // Bytes without any mark: only the size can tell, and only for one game.
  Bytes plain = test::filled(30'000, 1);
  Bytes longer = test::filled(30'100, 1);
  EXPECT_TRUE(same_program(maker_of(plain), maker_of(plain), true));
  EXPECT_FALSE(same_program(maker_of(plain), maker_of(longer), true));
  EXPECT_FALSE(same_program(maker_of(plain), maker_of(longer), false));
}

TEST(StatePictures, PngAndRaw) {
  const auto with_png = read_state(
      demo::sectioned_state("TIDEPOOL",
                            {{"CPU ", Bytes(30)}, {"VIEW", demo::screen_png(demo::Art::moon)}}),
      "x");
  ASSERT_TRUE(with_png && with_png->picture);
  EXPECT_EQ(with_png->picture->width, 160U);
  EXPECT_EQ(with_png->picture->height, 120U);
  // Width and height as u16le, then red, green, blue: a ramp with a step in it.
  Bytes raw = bytes({'R', 'A', 'W', '1', 64, 0, 48, 0});
  for (unsigned y = 0; y < 48; ++y)
    for (unsigned x = 0; x < 64; ++x) raw = raw + bytes({x * 3, y > 20 ? 200U : 20U, y * 5});
  const auto with_raw = read_state(raw + test::random_bytes(5000, 2), "x");
  ASSERT_TRUE(with_raw && with_raw->picture);
  EXPECT_EQ(with_raw->picture->width, 64U);
  EXPECT_EQ(with_raw->picture->pixels[65], (Colour{3, 20, 5, 255}));
  // The same numbers before noise are no picture.
  const auto noise =
      read_state(bytes({'R', 'A', 'W', '1', 64, 0, 48, 0}) + test::random_bytes(20'000, 2), "x");
  ASSERT_TRUE(noise);
  EXPECT_FALSE(noise->picture);
}

// Screens of the demo's games, as programs write them without a format.
TEST(StatePictures, RawScreensOfAllDepths) {
  int found = 0;
  int tried = 0;
  for (const demo::Art art : {demo::Art::kite, demo::Art::forge}) {
    const auto drawn = read_state(
        demo::sectioned_state("TIDEPOOL", {{"CPU ", Bytes(30)}, {"VIEW", demo::screen_png(art)}}),
        "x");
    ASSERT_TRUE(drawn && drawn->picture);
    for (const std::size_t depth : {2U, 3U, 4U}) {
      Bytes raw = bytes({160, 0, 120, 0});
      for (const Colour& pixel : drawn->picture->pixels) {
        const unsigned packed = (pixel.red >> 3U) * 0x800U + (pixel.green >> 2U) * 0x20U +
                                static_cast<unsigned>(pixel.blue >> 3U);
        if (depth == 2)
          raw.insert(raw.end(), {static_cast<std::byte>(packed & 0xFFU),
                                 static_cast<std::byte>(packed >> 8U)});
        else
          raw.insert(raw.end(),
                     {static_cast<std::byte>(pixel.red), static_cast<std::byte>(pixel.green),
                      static_cast<std::byte>(pixel.blue)});
        if (depth == 4) raw.push_back(std::byte{0xFF});
      }
      ++tried;
      const auto state = read_state(raw + test::random_bytes(9000, 1), "x");
      ASSERT_TRUE(state);
      if (!state->picture) continue;
      ++found;
      EXPECT_EQ(state->picture->width, 160U);
      EXPECT_EQ(state->picture->height, 120U);
    }
  }
  std::printf("%d of %d raw screens found\n", found, tried);
  EXPECT_EQ(found, tried);
}

}  // namespace
}  // namespace bayswap
