#include "layouts/cards/chains.h"

#include <fmt/format.h>

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
    for (const std::size_t i : order)
      if (is_sound(claims_[i]) && none_taken(claims_[i].chain.blocks)) take(claims_[i]);
    for (const std::size_t i : order)
      if (!done(claims_[i])) rebuild(claims_[i]);
  }

 private:
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
      why = fmt::format("block {} belongs to another save", *stolen + 1);
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
