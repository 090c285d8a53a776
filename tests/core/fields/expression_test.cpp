// The language of field maps: an obvious model agrees with the evaluation of random expressions,
// and no text is read for ever.
#include <gtest/gtest.h>

#include <functional>

#include "core/fields/expression.h"
#include "support/card_zoo.h"
#include "support/rounds.h"

namespace bayswap::fields {
namespace {

class SomeNames final : public Names {
 public:
  Result<std::int64_t> value(const std::vector<PathStep>& path) override {
    if (path[0].name == "a") return 7;
    if (path[0].name == "b") return -3;
    if (path[0].name == "big") return static_cast<std::int64_t>(0x8000000000000001ULL);
    if (path[0].name == "crew" && path[0].index && *path[0].index < wages_.size())
      return wages_[static_cast<std::size_t>(*path[0].index)];
    return fail(Trouble::input, Code::bad_map, "no such name");
  }
  Result<std::uint64_t> count(const std::vector<PathStep>& path) override {
    if (path[0].name == "crew") return wages_.size();
    return fail(Trouble::input, Code::bad_map, "no such array");
  }
  const std::vector<std::int64_t>* table(const std::string& name) override {
    return name == "primes" ? &primes_ : nullptr;
  }

 private:
  std::vector<std::int64_t> wages_{10, 20, 5};
  std::vector<std::int64_t> primes_{2, 3, 5, 7};
};

Result<std::int64_t> value_of(const std::string& text) {
  const auto expression = Expression::parse(text);
  if (!expression) return tl::unexpected(expression.error());
  SomeNames names;
  Budget budget;
  return evaluate(*expression, names, budget);
}

TEST(Expressions, MeanWhatThePageSays) {
  const std::vector<std::pair<std::string, std::int64_t>> known{
      {"1 + 2 * 3", 7},
      {"(1 + 2) * 3", 9},
      {"7 / 2", 3},
      {"-7 / 2", -3},
      {"5 / 0", 0},
      {"5 % 0", 0},
      {"0x10 | 1", 17},
      {"0xafAF", 44975},
      {"6 & 3 | 8", 10},
      {"1 << 4 + 1", 32},
      {"~0", -1},
      {"a * b", -21},
      {"a > b and b < 0", 1},
      {"not a == 7", 0},
      {"not 0 or 0", 1},
      {"a in [1, 7]", 1},
      {"a in primes", 1},
      {"a + 1 in primes", 0},
      {"primes[2]", 5},
      {"primes[9]", 0},
      {"sum(crew[*])", 35},
      {"max(crew[*])", 20},
      {"count(crew[*] > 6)", 2},
      {"all(crew[*] >= 5)", 1},
      {"any(crew[*] == 6)", 0},
      {"min(4, a, 2)", 2},
      {"crew[1 + 1]", 5},
      {"sum(primes[crew[*] / 10])", 10},
      {"big >> 63", 1},
      {"1 << 64", 0},
      {"2 ^ 3 & 1", 3},
      {"1 == 1 == 1", 1},
      {"9223372036854775807 + 1", std::numeric_limits<std::int64_t>::min()}};
  for (const auto& [text, value] : known) {
    const auto found = value_of(text);
    ASSERT_TRUE(found) << text << ": " << found.error().text;
    EXPECT_EQ(*found, value) << text;
  }
  for (const char* wrong :
       {"", "1 +", "(1", "1)", "crew[*]", "foo(1)", "sum(1)", "1 2", "a in", "a in [1",
        "99999999999999999999", "0x", "12ab", "a..b", "[1]", "sum(crew[*], 1)", "$"})
    EXPECT_EQ(value_of(wrong).error().code, Code::bad_map) << wrong;
}

// A tree, as text and as a number that was worked out beside it.
struct Made {
  std::string text;
  std::int64_t value = 0;
  int rank = 0;  // of its outermost operator; 100: none
};

class Maker {
 public:
  explicit Maker(std::uint32_t seed) : numbers_(seed) {}

  Made make(int depth) {
    if (depth == 0 || numbers_() % 5 == 0) return leaf();
    switch (numbers_() % 16) {
      case 0: return negated(depth);
      case 1: return inverted(depth);
      case 2: return member(depth);
      default: return binary(depth);
    }
  }

 private:
  Made leaf() {
    switch (numbers_() % 5) {
      case 0: return {"a", 7, 100};
      case 1: return {"b", -3, 100};
      case 2: return {"big", std::numeric_limits<std::int64_t>::min() + 1, 100};
      case 3: {
        const auto value = static_cast<std::int64_t>(numbers_()) << (numbers_() % 30);
        return {std::to_string(value), value, 100};
      }
      default: {
        const auto value = static_cast<std::int64_t>(numbers_() % 70);
        return {std::to_string(value), value, 100};
      }
    }
  }
  static std::string in_brackets(const Made& made, bool need) {
    return need ? "(" + made.text + ")" : made.text;
  }
  Made negated(int depth) {
    const Made inner = make(depth - 1);
    const bool flip = numbers_() % 2 == 0;
    const auto value = static_cast<std::uint64_t>(inner.value);
    return {(flip ? "~" : "-") + in_brackets(inner, inner.rank < 100),
            static_cast<std::int64_t>(flip ? ~value : ~value + 1), 90};
  }
  Made inverted(int depth) {
    const Made inner = make(depth - 1);
    return {"not " + in_brackets(inner, inner.rank < 3), inner.value == 0 ? 1 : 0, 2};
  }
  Made member(int depth) {
    const Made inner = make(depth - 1);
    const Made one = make(depth - 1);
    return {in_brackets(inner, inner.rank < 4) + " in [3, " + in_brackets(one, one.rank < 4) + "]",
            inner.value == 3 || inner.value == one.value ? 1 : 0, 3};
  }
  Made binary(int depth) {
    struct Sign {
      const char* text;
      int rank;
      std::function<std::int64_t(std::int64_t, std::int64_t)> value;
    };
    using Wide = __int128_t;
    const auto cut = [](Wide wide) {
      return static_cast<std::int64_t>(static_cast<std::uint64_t>(wide));
    };
    static const std::vector<Sign> kSigns{
        {" or ", 0, [](auto x, auto y) { return x != 0 || y != 0 ? 1 : 0; }},
        {" and ", 1, [](auto x, auto y) { return x != 0 && y != 0 ? 1 : 0; }},
        {" == ", 3, [](auto x, auto y) { return x == y ? 1 : 0; }},
        {" != ", 3, [](auto x, auto y) { return x != y ? 1 : 0; }},
        {" < ", 3, [](auto x, auto y) { return x < y ? 1 : 0; }},
        {" >= ", 3, [](auto x, auto y) { return x >= y ? 1 : 0; }},
        {" | ", 4, [](auto x, auto y) { return x | y; }},
        {" ^ ", 5, [](auto x, auto y) { return x ^ y; }},
        {" & ", 6, [](auto x, auto y) { return x & y; }},
        {" << ", 7,
         [cut](auto x, auto y) {
           return y < 0 || y > 63 ? 0 : cut(static_cast<Wide>(x) * (static_cast<Wide>(1) << y));
         }},
        {" + ", 8, [cut](auto x, auto y) { return cut(static_cast<Wide>(x) + y); }},
        {" - ", 8, [cut](auto x, auto y) { return cut(static_cast<Wide>(x) - y); }},
        {" * ", 9, [cut](auto x, auto y) { return cut(static_cast<Wide>(x) * y); }},
        {" / ", 9, [cut](auto x, auto y) { return y == 0 ? 0 : cut(static_cast<Wide>(x) / y); }},
        {" % ", 9, [cut](auto x, auto y) { return y == 0 ? 0 : cut(static_cast<Wide>(x) % y); }}};
    const Sign& sign = kSigns[numbers_() % kSigns.size()];
    const Made left = make(depth - 1);
    const Made right = make(depth - 1);
    // Sometimes more brackets than are needed.
    const bool more = numbers_() % 4 == 0;
    return {in_brackets(left, more || left.rank < sign.rank) + sign.text +
                in_brackets(right, more || right.rank <= sign.rank),
            sign.value(left.value, right.value), sign.rank};
  }

  test::Numbers numbers_;
};

TEST(Expressions, AgreeWithAModel) {
  Maker maker(1);
  for (int i = 0; i < test::rounds(40'000); ++i) {
    const Made made = maker.make(1 + i % 6);
    const auto found = value_of(made.text);
    ASSERT_TRUE(found) << made.text << ": " << found.error().text;
    ASSERT_EQ(*found, made.value) << made.text;
  }
}

TEST(Expressions, OfAnyTextEnd) {
  test::Numbers numbers(2);
  const std::string letters = "ab19(([[*].+-~ &|<>=notandorincrewsum primes,%^x";
  int good = 0;
  const int rounds = test::rounds(40'000);
  for (int i = 0; i < rounds; ++i) {
    std::string text;
    const std::size_t size = 1 + numbers() % (i % 2 == 0 ? 4 : 40);
    for (std::size_t at = 0; at < size; ++at) text += letters[numbers() % letters.size()];
    good += value_of(text) ? 1 : 0;
  }
  EXPECT_GE(good, rounds / 2000);
  for (const char* nested : {"(", "-", "not ", "crew[", "sum("}) {
    std::string text;
    for (int i = 0; i < 2000; ++i) text += nested;
    EXPECT_FALSE(value_of(text)) << nested;
  }
}

TEST(Expressions, HaveABudget) {
  const auto expression = Expression::parse("sum(crew[*] * crew[*])");
  SomeNames names;
  Budget budget{5};
  EXPECT_EQ(evaluate(*expression, names, budget).error().code, Code::too_much);
}

}  // namespace
}  // namespace bayswap::fields
