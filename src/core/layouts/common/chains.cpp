#include "core/layouts/common/chains.h"

#include <fmt/core.h>

#include <algorithm>
#include <numeric>
#include <utility>

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
    // What completes one claim may leave just the blocks of another.
    for (const std::size_t i : order)
      if (!done(claims_[i])) shorten(claims_[i]);
    for (bool any = true; any;) {
      any = false;
      for (const std::size_t i : order)
        if (!done(claims_[i])) any = rebuild(claims_[i], &Settling::told) || any;
    }
    for (const std::size_t i : order)
      if (!done(claims_[i])) rebuild(claims_[i], &Settling::next_loose);
    for (const std::size_t i : order)
      if (!done(claims_[i])) give_up(claims_[i]);
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
          "it shares blocks with another save, and it can't be told whose they are");
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

  // Leaves a claim the blocks that are surely its own.
  void shorten(Claim& claim) {
    std::vector<std::uint32_t>& blocks = claim.chain.blocks;
    if (claim.chain.broken.empty()) claim.chain.broken = "its length was wrong";
    const auto stolen = std::find_if(blocks.begin(), blocks.end(),
                                     [&](std::uint32_t block) { return taken_[block]; });
    if (stolen != blocks.end()) {
      claim.chain.broken = of_another(*stolen);
      blocks.erase(stolen, blocks.end());
    }
    if (claim.wanted > 0 && blocks.size() > claim.wanted) blocks.resize(claim.wanted);
  }

  using Finder = std::vector<std::uint32_t> (Settling::*)(const Claim&, std::size_t) const;

  // Completes a claim with the blocks that a finder gives.
  bool rebuild(Claim& claim, Finder find) {
    std::vector<std::uint32_t>& blocks = claim.chain.blocks;
    if (claim.wanted == 0 || blocks.empty()) return false;
    if (!none_taken(blocks)) shorten(claim);
    if (blocks.empty()) return false;
    const std::size_t missing = claim.wanted - blocks.size();
    const std::vector<std::uint32_t> more = (this->*find)(claim, missing);
    if (more.size() != missing) return false;
    const std::string why = std::exchange(claim.chain.broken, {});
    claim.what.push_back(missing == 0 ? "its chain was cut to its length (" + why + ")"
                                      : "its chain was rebuilt (" + why + ")");
    if (find == &Settling::next_loose && missing > 0) {
      claim.doubtful = true;
      claim.what.emplace_back("which blocks are its own is a guess: try it before you rely on it");
    }
    blocks.insert(blocks.end(), more.begin(), more.end());
    take(claim);
    return true;
  }

  static void give_up(Claim& claim) {
    const std::string& why = claim.chain.broken;
    if (claim.wanted == 0) return lose(claim, why + ", and its length is not known");
    const std::size_t known = claim.chain.blocks.size();
    if (known == 0) return lose(claim, why + ": its first block is gone");
    lose(claim, fmt::format("{}: {} of its {} blocks cannot be told", why, claim.wanted - known,
                            claim.wanted));
  }

  // The loose blocks that no other broken claim has, from behind the last one that is known on, and
  // round to it.
  std::vector<std::uint32_t> open_blocks(const Claim& claim) const {
    std::vector<bool> owned = taken_;
    for (const Claim& other : claims_)
      for (const std::uint32_t block : other.chain.blocks) owned[block] = true;
    std::vector<std::uint32_t> open;
    const auto count = static_cast<std::uint32_t>(loose_.size());
    for (std::uint32_t i = 1; i < count; ++i)
      if (const std::uint32_t block = (claim.chain.blocks.back() + i) % count;
          loose_[block] && !owned[block])
        open.push_back(block);
    return open;
  }

  // The blocks right behind the last one that is known; or all open ones, when they are just as
  // many as are missing.
  std::vector<std::uint32_t> told(const Claim& claim, std::size_t missing) const {
    std::vector<std::uint32_t> open = open_blocks(claim);
    if (open.size() == missing) return open;
    if (open.size() < missing) return {};
    open.resize(missing);
    for (std::size_t i = 0; i < missing; ++i)
      if (open[i] != claim.chain.blocks.back() + 1 + i) return {};
    return open;
  }

  std::vector<std::uint32_t> next_loose(const Claim& claim, std::size_t missing) const {
    std::vector<std::uint32_t> open = open_blocks(claim);
    open.resize(std::min(open.size(), missing));
    return open;
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
