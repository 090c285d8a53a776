// Chains of blocks: followed with care, and put in order where several saves claim one block.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

namespace bayswap {

/// Where a block's table entry leads.
struct Link {
  enum class Kind { next, end, broken } kind = Kind::broken;
  std::uint32_t block = 0;  ///< when `next`
  std::string why;          ///< when `broken`
};

struct Chain {
  std::vector<std::uint32_t> blocks;  ///< up to the break
  std::string broken;                 ///< why it has no end; empty when it is sound
};

/// Follows links from `first`. Blocks are below `count`; anything else, and a loop, breaks it.
[[nodiscard]] Chain follow_chain(std::uint32_t first, std::uint32_t count,
                                 const std::function<Link(std::uint32_t)>& link);

/// One save's claim on blocks of a damaged card.
struct Claim {
  Chain chain;
  std::uint32_t wanted = 0;  ///< blocks that it must have; 0 when unknown
  int trust = 0;             ///< whose checks are better wins a block that two claim
  // What settling found:
  bool lost = false;
  bool doubtful = false;          ///< some of its blocks may be another's
  std::vector<std::string> what;  ///< what was repaired, or why it is lost
};

/// Gives every block to at most one claim, best claims first, and completes broken chains from the
/// blocks that are in use but nobody's (`loose`). A first block is its claim's own, whoever leads
/// there; where two equally good claims share other blocks and nothing tells whose they are, both
/// keep them and are `doubtful`. So is one that gets the next loose blocks because nothing tells
/// which are its own.
void settle_claims(std::vector<Claim>& claims, std::vector<bool> loose);

/// Blocks that more than one chain holds, as a table of block to number of chains.
[[nodiscard]] std::vector<std::uint32_t> count_claims(const std::vector<Chain>& chains,
                                                      std::uint32_t count);

}  // namespace bayswap
