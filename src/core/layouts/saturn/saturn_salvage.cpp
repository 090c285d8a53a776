// What damaged saturn backup memory still gives.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/cartridge/chip_layout.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/saturn/saturn_bram.h"
#include "core/layouts/saturn/saturn_format.h"
#include "core/layouts/saturn/saturn_validate.h"

namespace bayswap {
namespace {

using namespace saturn;

struct Candidate {
  Extent extent;
  std::vector<std::string> repaired;
};

class Salvager {
 public:
  Salvager(Bytes plain, const Geometry& geometry)
      : geometry_(geometry),
        held_(std::min(plain.size(), geometry.size())),
        memory_(std::move(plain)) {
    memory_.resize(geometry.size());
  }

  Salvage run() {
    Salvage salvage;
    salvage.blocks = geometry_.users();
    salvage.image = memory_;
    if (held_ < geometry_.size()) salvage.findings.push_back(cut_short(held_, geometry_.size()));
    for (Finding& finding : validate_saturn_mark(memory_))
      salvage.findings.push_back(std::move(finding));
    std::vector<Claim> claims;
    for (std::uint32_t block = 0; block < geometry_.users(); ++block) consider(block, claims);
    // No table says which blocks are in use, so nothing is guessed to be a save's.
    settle_claims(claims, std::vector<bool>(geometry_.users()));
    std::vector<bool> claimed(geometry_.users());
    for (std::size_t i = 0; i < claims.size(); ++i) {
      salvage.saves.push_back(rescue(candidates_[i], claims[i]));
      for (const std::uint32_t block : claims[i].chain.blocks) claimed[block] = true;
    }
    // Saves are laid out from the front: behind a block that was used there may have been more.
    if (held_ < geometry_.size() && held_ >= (kFirstBlock + 1) * geometry_.block_size)
      salvage.unnamed = !is_erased(ByteView(memory_).subspan(
          (held_ / geometry_.block_size - 1) * geometry_.block_size, geometry_.block_size));
    // The tag is unknown and no save has the block: something began or went on there, unless the
    // memory was never used up to there.
    bool never_used = false;
    for (std::uint32_t block = 0; block < geometry_.users(); ++block) {
      if (tag_of(memory_, geometry_, block) != 0 && !claimed[block])
        salvage.unnamed = salvage.unnamed || !never_used;
      else
        never_used = !claimed[block] && is_erased(block_at(memory_, geometry_, block));
    }
    return salvage;
  }

 private:
  // A block where a save begins: by its tag, or by a sound header and list where the tag is hit.
  void consider(std::uint32_t block, std::vector<Claim>& claims) {
    const std::uint32_t tag = tag_of(memory_, geometry_, block);
    if (tag == 0) return;
    Candidate candidate{extent_of(memory_, geometry_, block), {}};
    const ByteView header = block_at(memory_, geometry_, block).subspan(kTagSize, kHeaderSize);
    // Without its tag, the name has to speak for it, too.
    const bool sensible = tag == kStartTag ? is_sensible_header(header, geometry_)
                                           : is_plausible_header(header, geometry_);
    const bool sound = sensible && candidate.extent.chain.broken.empty();
    if (tag != kStartTag) {
      if (!sound) return;
      candidate.repaired.emplace_back("its tag was repaired");
    }
    Claim claim;
    claim.chain = candidate.extent.chain;
    claim.wanted = sound ? static_cast<std::uint32_t>(claim.chain.blocks.size()) : 0;
    const bool tags =
        std::all_of(claim.chain.blocks.begin() + 1, claim.chain.blocks.end(),
                    [&](std::uint32_t b) { return tag_of(memory_, geometry_, b) == 0; });
    claim.trust = (sound ? 4 : 0) + (tag == kStartTag ? 2 : 0) + (tags ? 1 : 0);
    if (!sensible && claim.chain.broken.empty())
      claim.chain.broken = "its name or size makes no sense";
    if (sound && !tags) candidate.repaired.emplace_back("the tags of its blocks were repaired");
    candidates_.push_back(std::move(candidate));
    claims.push_back(std::move(claim));
  }

  [[nodiscard]] Rescue rescue(const Candidate& candidate, const Claim& claim) const {
    std::vector<std::string> what = candidate.repaired;
    what.insert(what.end(), claim.what.begin(), claim.what.end());
    bool lost = claim.lost;
    for (const std::uint32_t block : claim.chain.blocks)
      if (!lost && (std::size_t{block} + kFirstBlock + 1) * geometry_.block_size > held_) {
        what.push_back(fmt::format("block {} is past the end of the file", block + kFirstBlock));
        lost = true;
      }
    return rescue_of(read_save(memory_, geometry_, candidate.extent), std::move(what),
                     {.lost = lost, .doubtful = claim.doubtful});
  }

  const Geometry geometry_;
  std::size_t held_;
  Bytes memory_;
  std::vector<Candidate> candidates_;
};

}  // namespace

Result<Salvage> SaturnBramLayout::salvage(ByteView file) const {
  Bytes plain = is_doubled(file) ? straighten(file.first(file.size() / 2 * 2), Arrangement::odd)
                                 : Bytes(file.begin(), file.end());
  const Geometry geometry = geometry_of(plain);
  if (plain.size() < (kFirstBlock + 1) * geometry.block_size)
    return fail(Trouble::input, Code::damaged, "too short to hold saturn backup memory",
                "nothing of it can be rescued");
  return Salvager(std::move(plain), geometry).run();
}

}  // namespace bayswap
