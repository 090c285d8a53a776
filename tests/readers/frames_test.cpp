// Frames and messages of the reader link, with bytes assembled by hand from the facts.
#include <gtest/gtest.h>

#include "readers/frames.h"
#include "readers/messages.h"
#include "readers/transport.h"
#include "support/bytes.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap {
namespace {

using test::bytes;
using test::operator+;

std::vector<Bytes> payloads_in(const Bytes& stream, std::size_t step = 1) {
  FrameReader reader;
  std::vector<Bytes> payloads;
  for (std::size_t at = 0; at < stream.size(); at += step) {
    reader.push(ByteView(stream).subspan(at, std::min(step, stream.size() - at)));
    while (auto payload = reader.next()) payloads.push_back(std::move(*payload));
  }
  return payloads;
}

TEST(Frames, ByHand) {
  // The check value of FCS-16 for "123456789" is 906E; low byte first.
  const Bytes text = bytes({'1', '2', '3', '4', '5', '6', '7', '8', '9'});
  EXPECT_EQ(fcs16(text), 0x906E);
  EXPECT_EQ(framed(text), bytes({0x7E}) + text + bytes({0x6E, 0x90, 0x7E}));
  // Flags and escapes inside are turned.
  const Bytes special = bytes({0x7E, 0x7D, 0x20});
  const Bytes frame = framed(special);
  EXPECT_EQ(Bytes(frame.begin(), frame.begin() + 6), bytes({0x7E, 0x7D, 0x5E, 0x7D, 0x5D, 0x20}));
  EXPECT_EQ(payloads_in(frame), std::vector<Bytes>{special});
}

TEST(Frames, OneFlagMayCloseAndOpen) {
  const Bytes one = framed(bytes({1, 2, 3}));
  const Bytes other = framed(bytes({4, 5}));
  const Bytes joined = one + Bytes(other.begin() + 1, other.end());
  EXPECT_EQ(payloads_in(joined), (std::vector<Bytes>{bytes({1, 2, 3}), bytes({4, 5})}));
  EXPECT_EQ(payloads_in(bytes({0x7E, 0x7E, 0x7E}) + one).size(), 1U) << "empty frames are nothing";
  // Any byte but a flag may be escaped.
  Bytes escaped = bytes({0x7E});
  const Bytes payload = bytes({1, 2, 3});
  for (const std::byte byte : Bytes(one.begin() + 1, one.end() - 1))
    escaped = escaped + bytes({0x7D}) + Bytes{byte ^ std::byte{0x20}};
  EXPECT_EQ(payloads_in(escaped + bytes({0x7E})), std::vector<Bytes>{payload});
}

TEST(Frames, WhatIsBrokenIsSilent) {
  const Bytes good = framed(bytes({9, 9, 9}));
  Bytes wrong = good;
  wrong[1] ^= std::byte{1};
  EXPECT_EQ(payloads_in(wrong + good).size(), 1U);
  EXPECT_TRUE(payloads_in(bytes({0x7E, 1, 2, 0x7D, 0x7E})).empty()) << "a dangling escape";
  // Whole, the longest frame has 65,536 bytes with its check.
  EXPECT_EQ(payloads_in(framed(Bytes(65'534)), 4096).size(), 1U);
  EXPECT_TRUE(payloads_in(framed(Bytes(65'535)), 4096).empty());
  EXPECT_EQ(payloads_in(Bytes(200'000, std::byte{1}) + good, 4096).size(), 1U)
      << "a frame that is too long is left out, and the next one is read";
}

TEST(Frames, RandomPayloadsSurviveAnyCut) {
  test::Numbers numbers(5);
  for (int round = 0; round < test::rounds(400); ++round) {
    std::vector<Bytes> sent;
    Bytes stream = test::random_bytes(numbers() % 50, numbers()) + bytes({0x7E});
    for (unsigned i = 0; i < 1 + numbers() % 5; ++i) {
      sent.push_back(test::random_bytes(1 + numbers() % 300, numbers()));
      stream = stream + framed(sent.back());
    }
    const auto got = payloads_in(stream, 1 + numbers() % 40);
    ASSERT_GE(got.size(), sent.size());
    EXPECT_TRUE(std::equal(sent.rbegin(), sent.rend(), got.rbegin()));
  }
}

TEST(Messages, ByHand) {
  // {"ask": 7, "do": "read", "data": h'0102', "on": true}
  const Bytes made = bytes({0xA4, 0x63, 'a', 's', 'k', 7,   0x62, 'd', 'o', 0x64, 'r', 'e', 'a',
                            'd',  0x64, 'd', 'a', 't', 'a', 0x42, 1,   2,   0x62, 'o', 'n', 0xF5});
  const auto read = decoded(made);
  ASSERT_TRUE(read);
  EXPECT_EQ(number_in(*read, "ask"), 7);
  EXPECT_EQ(*text_in(*read, "do"), "read");
  EXPECT_EQ(*bytes_in(*read, "data"), bytes({1, 2}));
  EXPECT_EQ(truth_in(*read, "on"), true);
  EXPECT_EQ(number_in(*read, "do"), std::nullopt) << "of another kind";
  EXPECT_EQ(text_in(*read, "nothing"), nullptr);
  const auto again = decoded(encoded(*read));
  ASSERT_TRUE(again);
  EXPECT_EQ(*bytes_in(*again, "data"), bytes({1, 2}));
  EXPECT_EQ(encoded({{"for", {std::int64_t{-1}}}}), bytes({0xA1, 0x63, 'f', 'o', 'r', 0x20}));
}

TEST(Messages, WhatTheLinkDoesNotAllowIsNothing) {
  for (const Bytes& bad : {
           bytes({}),
           bytes({0x01}),                                              // no map
           bytes({0xBF, 0x61, 'a', 1, 0xFF}),                          // a map without a length
           bytes({0xA1, 0x61, 'a', 0x5F, 0x41, 1, 0xFF}),              // bytes without a length
           bytes({0xA1, 0x61, 'a', 0x9F, 1, 0xFF}),                    // a list without a length
           bytes({0xA1, 0x61, 'a', 0xC1, 1}),                          // a tag
           bytes({0xA1, 0x61, 'a', 0xF9, 0x3C, 0}),                    // a half
           bytes({0xA1, 0x61, 'a', 0xFA, 0, 0, 0, 0}),                 // a float
           bytes({0xA1, 0x61, 'a', 0xF7}),                             // undefined
           bytes({0xA1, 0x01, 0x01}),                                  // a key that is a number
           bytes({0xA2, 0x61, 'a', 1, 0x61, 'a', 2}),                  // a key twice
           bytes({0xA1, 0x61, 'a', 1, 0}),                             // more behind it
           bytes({0xA2, 0x61, 'a', 1}),                                // less than said
           bytes({0xA1, 0x61, 'a', 0x1B, 0xFF, 0, 0, 0, 0, 0, 0, 0}),  // larger than a number
           bytes({0xA1, 0x61, 'a', 0x61, 0xFF}),                       // no UTF-8
           bytes({0xA1, 0x61, 'a', 0x5B, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF}),
       })
    EXPECT_FALSE(decoded(bad));
  EXPECT_TRUE(decoded(bytes({0xA1, 0x61, 'a', 0xF6}))) << "null is a value";
  // Eight levels, and nine.
  const auto nested = [](int levels) {
    Bytes made = bytes({0xA1, 0x61, 'a'});
    for (int i = 1; i < levels; ++i) made.push_back(std::byte{0x81});
    return made + bytes({0x00});
  };
  EXPECT_TRUE(decoded(nested(8)));
  EXPECT_FALSE(decoded(nested(9)));
}

TEST(Messages, HostileBytesAreHarmless) {
  test::Numbers numbers(8);
  const Bytes good =
      encoded({{"for", {std::int64_t{4}}},
               {"areas", {std::vector<CborValue>{{CborMap{{"area", {std::string("rom")}}}}}}},
               {"data", {test::random_bytes(40, 1)}}});
  for (int round = 0; round < test::rounds(20'000); ++round) {
    Bytes broken = good;
    for (unsigned i = 0; i < 1 + numbers() % 4; ++i)
      broken[numbers() % broken.size()] = static_cast<std::byte>(numbers() & 0xFFU);
    if (numbers() % 4 == 0) broken.resize(numbers() % broken.size());
    if (const auto read = decoded(broken)) (void)encoded(*read);
  }
}

TEST(Ports, WordsAreThoseOfAShell) {
  using Words = std::vector<std::string>;
  EXPECT_EQ(*shell_words("a  b\tc"), (Words{"a", "b", "c"}));
  EXPECT_EQ(*shell_words("a 'b c' \"d \\\" e\" f\\ g"), (Words{"a", "b c", "d \" e", "f g"}));
  EXPECT_EQ(*shell_words("'' x''y \"\\n\""), (Words{"", "xy", "\\n"}));
  EXPECT_EQ(*shell_words("$HOME `a`"), (Words{"$HOME", "`a`"})) << "nothing is expanded";
  EXPECT_FALSE(shell_words("a 'b"));
  EXPECT_TRUE(shell_words("")->empty());
}

}  // namespace
}  // namespace bayswap
