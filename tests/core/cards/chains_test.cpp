// Chains, exhaustively: every table of a few blocks, every pair of claims.
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "core/layouts/common/chains.h"

namespace bayswap {
namespace {

constexpr std::uint32_t kBlocks = 4;
constexpr std::uint32_t kEnd = kBlocks;          // marks the last block of a chain
constexpr std::uint32_t kNothing = kBlocks + 1;  // a block that is in no chain
constexpr std::uint32_t kOutside = kBlocks + 2;

using Table = std::array<std::uint32_t, kBlocks>;

Chain follow(const Table& table, std::uint32_t first) {
  return follow_chain(first, kBlocks, [&](std::uint32_t block) -> Link {
    if (table[block] == kEnd) return {Link::Kind::end, 0, {}};
    if (table[block] == kNothing) return {Link::Kind::broken, 0, "broken"};
    return {Link::Kind::next, table[block] == kOutside ? 1000 : table[block], {}};
  });
}

// The same in the most obvious way.
bool is_sound(const Table& table, std::uint32_t block, std::vector<std::uint32_t>& blocks) {
  for (std::uint32_t step = 0; step <= kBlocks; ++step) {
    if (block >= kBlocks) return false;
    if (std::ranges::find(blocks, block) != blocks.end()) return false;
    blocks.push_back(block);
    if (table[block] == kEnd) return true;
    if (table[block] == kNothing) return false;
    block = table[block] == kOutside ? 1000 : table[block];
  }
  return false;
}

template <class Visit>
void for_every_table(const Visit& visit) {
  constexpr std::uint32_t kValues = kBlocks + 3;
  Table table{};
  for (std::uint32_t number = 0; number < kValues * kValues * kValues * kValues; ++number) {
    std::uint32_t rest = number;
    for (std::uint32_t& entry : table) {
      entry = rest % kValues;
      rest /= kValues;
    }
    visit(table);
  }
}

TEST(Chains, AreFollowedAsObviously) {
  for_every_table([](const Table& table) {
    for (std::uint32_t first = 0; first <= kBlocks; ++first) {
      std::vector<std::uint32_t> blocks;
      const bool sound = is_sound(table, first, blocks);
      const Chain chain = follow(table, first);
      ASSERT_EQ(chain.broken.empty(), sound);
      ASSERT_EQ(chain.blocks, blocks);
    }
  });
}

TEST(Claims, NeverShareABlockAndKeepWhatIsSound) {
  for_every_table([](const Table& table) {
    for (std::uint32_t a = 0; a < kBlocks; ++a)
      for (std::uint32_t b = 0; b < kBlocks; ++b)
        for (std::uint32_t wanted = 1; wanted <= 2; ++wanted) {
          std::vector<Claim> claims(2);
          claims[0].chain = follow(table, a);
          claims[0].wanted = wanted;
          claims[0].trust = 2;
          claims[1].chain = follow(table, b);
          claims[1].wanted = 2;
          const std::vector<Claim> before = claims;
          std::vector<bool> loose(kBlocks);
          for (std::uint32_t block = 0; block < kBlocks; ++block)
            loose[block] = table[block] != kNothing && block != a && block != b;
          settle_claims(claims, loose);
          std::set<std::uint32_t> held;
          for (const Claim& claim : claims) {
            if (claim.lost) {
              ASSERT_FALSE(claim.what.empty());
              continue;
            }
            ASSERT_EQ(claim.chain.blocks.size(), claim.wanted);
            for (const std::uint32_t block : claim.chain.blocks)
              ASSERT_TRUE(held.insert(block).second) << "two saves hold one block";
          }
          // The better claim, when it is sound, is not touched; unless it runs into the other's
          // first block, which an entry names.
          const auto& blocks = before[0].chain.blocks;
          const bool sound = before[0].chain.broken.empty() && blocks.size() == wanted;
          if (a != b && std::find(blocks.begin(), blocks.end(), b) != blocks.end()) {
            if (!claims[0].lost) {
              ASSERT_FALSE(claims[0].what.empty());
            }
          } else if (sound) {
            ASSERT_FALSE(claims[0].lost);
            ASSERT_TRUE(claims[0].what.empty());
            ASSERT_EQ(claims[0].chain.blocks, before[0].chain.blocks);
          }
        }
  });
}

std::vector<Claim> two_chains(std::vector<std::uint32_t> a, std::vector<std::uint32_t> b) {
  std::vector<Claim> claims(2);
  claims[0].wanted = static_cast<std::uint32_t>(a.size());
  claims[0].chain.blocks = std::move(a);
  claims[1].wanted = static_cast<std::uint32_t>(b.size());
  claims[1].chain.blocks = std::move(b);
  return claims;
}

TEST(Claims, AFirstBlockIsItsOwners) {
  std::vector<bool> loose(20);
  loose[3] = loose[4] = true;
  // 2 was followed by 3 and 4; now it leads to the first block of the other save.
  auto claims = two_chains({2, 10, 11}, {10, 11});
  settle_claims(claims, loose);
  EXPECT_EQ(claims[1].chain.blocks, (std::vector<std::uint32_t>{10, 11}));
  EXPECT_TRUE(claims[1].what.empty()) << "the victim is whole";
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{2, 3, 4}));
  EXPECT_FALSE(claims[0].what.empty()) << "the thief is not called whole";
}

TEST(Claims, WhoRunsIntoAnotherIsToldByWhatLiesLoose) {
  std::vector<bool> loose(20);
  loose[3] = loose[4] = true;
  auto claims = two_chains({1, 2, 12, 13}, {10, 11, 12, 13});
  settle_claims(claims, loose);
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{1, 2, 3, 4}));
  EXPECT_TRUE(claims[1].what.empty());
  EXPECT_FALSE(claims[1].doubtful);
}

TEST(Claims, WhereNothingTellsBothAreDoubtful) {
  auto claims = two_chains({1, 2, 12, 13}, {10, 11, 12, 13});
  settle_claims(claims, std::vector<bool>(20));
  for (const Claim& claim : claims) {
    EXPECT_TRUE(claim.doubtful);
    EXPECT_FALSE(claim.lost);
    EXPECT_FALSE(claim.what.empty());
  }
}

TEST(Claims, AreRebuiltFromWhatFollows) {
  std::vector<Claim> claims(1);
  claims[0].chain = {{3, 4}, "broken"};
  claims[0].wanted = 4;
  std::vector<bool> loose(20);
  for (const std::size_t block : {5U, 6U, 7U, 15U}) loose[block] = true;
  settle_claims(claims, loose);
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{3, 4, 5, 6}));
  // Elsewhere only when just as many are left as are missing.
  claims.assign(1, {});
  claims[0].chain = {{3, 4}, "broken"};
  claims[0].wanted = 4;
  loose.assign(20, false);
  loose[9] = loose[15] = true;
  settle_claims(claims, loose);
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{3, 4, 9, 15}));
  claims.assign(1, {});
  claims[0].chain = {{3, 4}, "broken"};
  claims[0].wanted = 4;
  loose[17] = true;
  settle_claims(claims, loose);
  EXPECT_TRUE(claims[0].doubtful) << "three blocks could be the two that are missing";
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{3, 4, 9, 15}));
  // Blocks in front of the known ones come last.
  claims.assign(1, {});
  claims[0].chain = {{13, 14}, "broken"};
  claims[0].wanted = 4;
  loose.assign(20, false);
  loose[9] = loose[15] = true;
  settle_claims(claims, loose);
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{13, 14, 15, 9}));
  EXPECT_FALSE(claims[0].doubtful);
}

TEST(Claims, NeverTakeWhereAnotherBegins) {
  std::vector<Claim> claims(2);
  claims[0].chain = {{3, 4}, "broken"};
  claims[0].wanted = 4;
  claims[1].chain = {{5}, "broken"};
  claims[1].wanted = 3;
  std::vector<bool> loose(20);
  for (const std::size_t block : {5U, 6U, 7U, 11U, 12U}) loose[block] = true;
  settle_claims(claims, loose);
  EXPECT_EQ(claims[1].chain.blocks, (std::vector<std::uint32_t>{5, 6, 7}));
  EXPECT_EQ(claims[0].chain.blocks, (std::vector<std::uint32_t>{3, 4, 11, 12}));
  EXPECT_FALSE(claims[0].doubtful) << "no other blocks are left";
}

}  // namespace
}  // namespace bayswap
