// Looking for values and checksums in saves that were made here.
#include <fmt/core.h>
#include <gtest/gtest.h>

#include "core/fields/bits.h"
#include "core/fields/search.h"
#include "core/fields/sums.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap::fields {
namespace {

Clue value(std::int64_t number) {
  return {Clue::Kind::value, number, ""};
}

TEST(FieldSearch, FindsAValueInSeveralSaves) {
  test::Numbers numbers(3);
  for (int i = 0; i < test::rounds(80); ++i) {
    Bytes first = test::random_bytes(2048, numbers());
    Bytes second = test::random_bytes(2048, numbers());
    const std::size_t at = numbers() % 2000;
    const bool big = numbers() % 2 == 0;
    const std::uint64_t one = 1000 + numbers() % 60'000;
    const std::uint64_t two = 1000 + numbers() % 60'000;
    const std::endian order = big ? std::endian::big : std::endian::little;
    store_number(std::span(first).subspan(at, 2), one, order);
    store_number(std::span(second).subspan(at, 2), two, order);
    const auto found = find_places(
        {first, second},
        {value(static_cast<std::int64_t>(one)), value(static_cast<std::int64_t>(two))}, 10);
    ASSERT_TRUE(found);
    const bool there = std::ranges::any_of(found->places, [&](const FoundPlace& place) {
      return place.at == at && place.type == "u16" && place.order == order;
    });
    EXPECT_TRUE(there) << at;
    EXPECT_LE(found->all, 3U);
    const Clue larger{two > one ? Clue::Kind::larger : Clue::Kind::smaller, 0, ""};
    EXPECT_GE(
        find_places({first, second}, {value(static_cast<std::int64_t>(one)), larger}, 10)->all, 1U);
  }
}

TEST(FieldSearch, FindsBcdAndTextInAGamesOwnLetters) {
  Bytes save = test::random_bytes(1024, 5);
  const Bytes score = test::bytes({0x00, 0x98, 0x76});
  std::ranges::copy(score, save.begin() + 100);
  const Bytes name = test::bytes({0x8A, 0xB2, 0xBD, 0xAE});  // Kite: A is 80, a is AA
  std::ranges::copy(name, save.begin() + 200);
  const auto found = find_places({save}, {value(9876)}, 5);
  EXPECT_TRUE(std::ranges::any_of(found->places, [](const FoundPlace& place) {
    return place.type == "bcd6" && place.at == 100;
  }));
  const auto text = find_places({save}, {{Clue::Kind::text, 0, "Kite"}}, 5);
  ASSERT_EQ(text->all, 1U);
  EXPECT_EQ(text->places[0].at, 200U);
  EXPECT_EQ(text->places[0].letters,
            (std::vector<std::pair<char, std::uint8_t>>{{'A', 0x80}, {'a', 0xAA}}));
  // What is printed is a part of a map.
  const auto map = read_map("bayswap = \"field map\"\nversion = 1\n[fits]\nsystem = \"gb\"\n" +
                                map_lines(text->places[0]) + map_lines(found->places[0]),
                            "found.toml");
  EXPECT_TRUE(map) << map.error().text;
}

TEST(FieldSearch, RefusesCluesThatTellNothing) {
  const Bytes save(64);
  EXPECT_EQ(find_places({save}, {}, 5).error().code, Code::usage);
  EXPECT_EQ(find_places({save}, {{Clue::Kind::changed, 0, ""}}, 5).error().code, Code::usage);
  EXPECT_EQ(find_places({save}, {{Clue::Kind::text, 0, "ab"}}, 5).error().code, Code::usage);
  const Bytes other(65);
  EXPECT_EQ(find_places({save, other}, {value(0), value(0)}, 5).error().code, Code::usage);
}

// A save as games make them: some areas with content, the rest erased, and one checksum.
struct Saved {
  Bytes bytes;
  Checksum sum;
  std::size_t at = 0;
  std::size_t from = 0;
  std::size_t size = 0;
};

Saved saved(test::Numbers& numbers) {
  static constexpr std::size_t kSizes[] = {512, 2048, 8192, 32768};
  Saved made;
  made.bytes.assign(kSizes[numbers() % (test::long_run() ? 4 : 3)],
                    numbers() % 2 == 0 ? std::byte{0xFF} : std::byte{});
  const std::size_t size = made.bytes.size();
  const std::size_t used = size / 2 + numbers() % (size / 2);
  for (std::size_t i = 0; i < used; ++i)
    if (numbers() % 4 > 0)
      made.bytes[i] = static_cast<std::byte>(numbers() % (numbers() % 2 == 0 ? 256 : 12));
  made.sum.width = numbers() % 4 == 0 ? 32 : 16;
  made.sum.order = numbers() % 2 == 0 ? std::endian::little : std::endian::big;
  switch (numbers() % 5) {
    case 0: made.sum.unit = 8; break;
    case 1: made.sum.unit = 16; break;
    case 2:
      made.sum.unit = 8;
      made.sum.complement = Checksum::Complement::ones;
      break;
    case 3:
      made.sum.unit = made.sum.width;
      made.sum.kind = Checksum::Kind::exclusive_or;
      break;
    default:
      made.sum.kind = Checksum::Kind::crc;
      made.sum.polynomial = made.sum.width == 32 ? 0xEDB88320 : 0x1021;
      made.sum.crc_bits = made.sum.width;
      made.sum.reflected = made.sum.reflected_out = made.sum.width == 32;
      made.sum.start = made.sum.width == 32 ? 0xFFFFFFFF : 0xFFFF;
      made.sum.final_xor = made.sum.width == 32 ? 0xFFFFFFFF : 0;
  }
  const std::size_t width = made.sum.width / 8;
  switch (numbers() % 4) {
    case 0: made.at = size - width, made.from = 0, made.size = size - width; break;
    case 1: made.at = 0, made.from = width, made.size = size - width; break;
    case 2:
      made.from = size == 512 ? 0 : 0x100 * (numbers() % 2), made.at = size / 2 - width,
      made.size = made.at - made.from;
      break;
    default: {  // behind the content
      const std::size_t end = (used + 3) / 4 * 4;
      made.from = 0, made.at = std::min(end, size - width), made.size = made.at;
    }
  }
  store_number(std::span(made.bytes).subspan(made.at, width),
               sum_of(made.sum, ByteView(made.bytes).subspan(made.from, made.size)),
               made.sum.order);
  return made;
}

TEST(FieldSearch, GuessesChecksums) {
  test::Numbers numbers(8);
  int named = 0;
  const int rounds = test::rounds(200, 16);
  for (int i = 0; i < rounds; ++i) {
    const Saved one = saved(numbers);
    const auto guesses = guess_sums({one.bytes}, 3);
    EXPECT_LE(guesses.size(), 3U);
    // The right one gives the same number over other contents too.
    const bool found = std::ranges::any_of(guesses, [&](const GuessedSum& guess) {
      return guess.at == one.at && guess.from == one.from && guess.size == one.size &&
             guess.sum.width == one.sum.width &&
             // XOR is the same in either order.
             (guess.sum.order == one.sum.order || one.sum.kind == Checksum::Kind::exclusive_or) &&
             guess.sum.kind == one.sum.kind && guess.sum.unit == one.sum.unit &&
             guess.sum.complement == one.sum.complement;
    });
    named += found ? 1 : 0;
    if (!guesses.empty()) {
      const auto map = read_map(
          "bayswap = \"field map\"\nversion = 1\n[fits]\nsystem = \"gb\"\n" + map_lines(guesses[0]),
          "g.toml");
      EXPECT_TRUE(map) << map.error().text;
    }
  }
  RecordProperty("named", named);
  EXPECT_GE(named * 10, rounds * 9) << named << " of " << rounds;
}

TEST(FieldSearch, SeesCopies) {
  Bytes save(0x2000, std::byte{0xFF});
  const Bytes content = test::random_bytes(0x700, 3);
  std::ranges::copy(content, save.begin());
  std::ranges::copy(content, save.begin() + 0x1000);
  save[0x1010] ^= std::byte{3};
  const auto copies = guess_copies(save);
  ASSERT_EQ(copies.size(), 1U);
  EXPECT_EQ(copies[0].second, 0x1000U);
  EXPECT_EQ(copies[0].differing, 1U);
  EXPECT_TRUE(guess_copies(Bytes(0x2000)).empty());
}

}  // namespace
}  // namespace bayswap::fields
