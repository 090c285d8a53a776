#include "core/layouts/common/chains.h"

#include <fmt/core.h>

#include <algorithm>
#include <numeric>

namespace bayswap {
namespace {

bool is_sound(const Claim& claim) {
  return claim.chain.broken.empty() && !claim.chain.blocks.empty() &&
         (claim.wanted == 0 || claim.chain.blocks.size() == claim.wanted);
}

class Settling {
 public:
  Settling(std::vector<Claim>& claims, std::vector<bool>& loose)
      : claims_(claims), loose_(loose), taken_(loose.size()) {}

  void run() {
    std::vector<std::size_t> order(claims_.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
      return claims_[a].trust > claims_[b].trust;
    });
    cut_at_first_blocks();
    part_the_alike();
    for (const std::size_t i : order)
      if (is_sound(claims_[i]) && (claims_[i].doubtful || none_taken(claims_[i].chain.blocks)))
        take(claims_[i]);
    for (const std::size_t i : order)
      if (!done(claims_[i])) rebuild(claims_[i]);
  }

 private:
  static std::string of_another(std::uint32_t block) {
    return fmt::format("block {} belongs to another save", block + 1);
  }

  static void cut(Claim& claim, std::size_t length) {
    claim.chain.broken = of_another(claim.chain.blocks[length]);
    claim.chain.blocks.resize(length);
  }

  // An entry names its first block itself; who comes there by a link has a wrong link.
  void cut_at_first_blocks() {
    std::vector<bool> first(loose_.size());
    for (const Claim& claim : claims_)
      if (!claim.chain.blocks.empty()) first[claim.chain.blocks.front()] = true;
    for (Claim& claim : claims_)
      for (std::size_t i = 1; i < claim.chain.blocks.size(); ++i)
        if (first[claim.chain.blocks[i]]) {
          cut(claim, i);
          break;
        }
  }

  // Two sound chains of equal trust that run together. The one whose own blocks lie loose behind
  // where they meet has the wrong link.
  void part_the_alike() {
    std::vector<std::vector<std::size_t>> holders(loose_.size());
    for (std::size_t i = 0; i < claims_.size(); ++i)
      if (is_sound(claims_[i]))
        for (const std::uint32_t block : claims_[i].chain.blocks) holders[block].push_back(i);
    for (const std::vector<std::size_t>& both : holders)
      if (both.size() == 2) part(claims_[both[0]], claims_[both[1]]);
  }

  void part(Claim& a, Claim& b) {
    if (!is_sound(a) || !is_sound(b) || a.trust != b.trust || a.doubtful || b.doubtful) return;
    const std::size_t at_a = first_shared(a, b);
    const std::size_t at_b = first_shared(b, a);
    if (at_a == 0 || at_b == 0) return;  // one first block for two: the order decides
    const bool a_goes_on = goes_on(a, at_a);
    const bool b_goes_on = goes_on(b, at_b);
    if (a_goes_on != b_goes_on) {
      cut(a_goes_on ? a : b, a_goes_on ? at_a : at_b);
      return;
    }
    for (Claim* claim : {&a, &b}) {
      claim->doubtful = true;
      claim->what.emplace_back(
          "it shares blocks with another save, and nothing tells whose they are");
    }
  }

  static std::size_t first_shared(const Claim& claim, const Claim& other) {
    const auto& blocks = claim.chain.blocks;
    const auto shared = std::ranges::find_if(blocks, [&](std::uint32_t block) {
      return std::ranges::find(other.chain.blocks, block) != other.chain.blocks.end();
    });
    return static_cast<std::size_t>(shared - blocks.begin());
  }

  // Whether as many blocks as a claim shares lie loose right behind its own.
  bool goes_on(const Claim& claim, std::size_t own) const {
    const std::uint32_t last = claim.chain.blocks[own - 1];
    for (std::size_t i = 1; i <= claim.chain.blocks.size() - own; ++i)
      if (last + i >= loose_.size() || !loose_[last + i]) return false;
    return true;
  }

  bool none_taken(const std::vector<std::uint32_t>& blocks) const {
    return std::none_of(blocks.begin(), blocks.end(),
                        [&](std::uint32_t block) { return taken_[block]; });
  }

  void take(Claim& claim) {
    for (const std::uint32_t block : claim.chain.blocks) taken_[block] = true;
    settled_.push_back(&claim);
  }

  bool done(const Claim& claim) const {
    return std::find(settled_.begin(), settled_.end(), &claim) != settled_.end();
  }

  static void lose(Claim& claim, std::string why) {
    claim.lost = true;
    claim.what.push_back(std::move(why));
  }

  void rebuild(Claim& claim) {
    std::vector<std::uint32_t>& blocks = claim.chain.blocks;
    std::string why = claim.chain.broken.empty() ? "its length was wrong" : claim.chain.broken;
    const auto stolen = std::find_if(blocks.begin(), blocks.end(),
                                     [&](std::uint32_t block) { return taken_[block]; });
    if (stolen != blocks.end()) {
      why = of_another(*stolen);
      blocks.erase(stolen, blocks.end());
    }
    if (claim.wanted == 0) return lose(claim, why + ", and its length is not known");
    if (blocks.size() > claim.wanted) blocks.resize(claim.wanted);
    if (blocks.empty()) return lose(claim, why + ": its first block is gone");
    const std::size_t missing = claim.wanted - blocks.size();
    if (!complete(blocks, missing))
      return lose(
          claim, fmt::format("{}: {} of its {} blocks cannot be told", why, missing, claim.wanted));
    claim.chain.broken.clear();
    claim.what.push_back(missing == 0 ? "its chain was cut to its length (" + why + ")"
                                      : "its chain was rebuilt (" + why + ")");
    take(claim);
  }

  // The loose blocks behind the last one that is known; or all loose blocks, when they are just as
  // many as are missing.
  bool complete(std::vector<std::uint32_t>& blocks, std::size_t missing) const {
    if (missing == 0) return true;
    std::vector<std::uint32_t> free;
    for (std::uint32_t block = 0; block < loose_.size(); ++block)
      if (loose_[block] && !taken_[block] &&
          std::find(blocks.begin(), blocks.end(), block) == blocks.end())
        free.push_back(block);
    std::vector<std::uint32_t> followers;
    for (std::uint32_t block = blocks.back() + 1; followers.size() < missing; ++block) {
      if (!std::binary_search(free.begin(), free.end(), block)) break;
      followers.push_back(block);
    }
    if (free.size() == missing) followers = free;
    if (followers.size() != missing) return false;
    blocks.insert(blocks.end(), followers.begin(), followers.end());
    return true;
  }

  std::vector<Claim>& claims_;
  std::vector<bool>& loose_;
  std::vector<bool> taken_;
  std::vector<const Claim*> settled_;
};

}  // namespace

Chain follow_chain(std::uint32_t first, std::uint32_t count,
                   const std::function<Link(std::uint32_t)>& link) {
  Chain chain;
  std::vector<bool> seen(count);
  std::uint32_t block = first;
  while (true) {
    if (block >= count) {
      chain.broken = "its chain leads out of the card";
      return chain;
    }
    if (seen[block]) {
      chain.broken = "its chain runs in a loop";
      return chain;
    }
    seen[block] = true;
    chain.blocks.push_back(block);
    Link next = link(block);
    if (next.kind == Link::Kind::end) return chain;
    if (next.kind == Link::Kind::broken) {
      chain.broken = std::move(next.why);
      return chain;
    }
    block = next.block;
  }
}

void settle_claims(std::vector<Claim>& claims, std::vector<bool> loose) {
  Settling(claims, loose).run();
}

std::vector<std::uint32_t> count_claims(const std::vector<Chain>& chains, std::uint32_t count) {
  std::vector<std::uint32_t> claims(count);
  for (const Chain& chain : chains)
    for (const std::uint32_t block : chain.blocks) ++claims[block];
  return claims;
}

}  // namespace bayswap
