// What a damaged ps1 card still gives.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/ps1/ps1_card.h"
#include "core/layouts/ps1/ps1_format.h"
#include "core/layouts/ps1/ps1_validate.h"

namespace bayswap {
namespace {

using namespace ps1;

struct Candidate {
  std::uint32_t first = 0;
  Bytes frame;
  std::vector<std::string> repaired;
};

class Salvager {
 public:
  explicit Salvager(ByteView file) : held_(std::min(file.size(), kCardSize)) {
    card_.assign(file.begin(), file.begin() + static_cast<std::ptrdiff_t>(held_));
    card_.resize(kCardSize);
    for (std::uint32_t block = 0; block < kBlocks; ++block)
      frames_.push_back(parse_frame(frame_of(card_, block)));
    // What stands behind the names no longer counts: the frames were read with it.
    for (std::uint32_t block = 0; block < kBlocks; ++block)
      clear_behind_name(
          std::span(card_).subspan((kDirectoryFrame + block) * kFrameSize, kFrameSize));
  }

  Salvage run() {
    Salvage salvage;
    salvage.blocks = kBlocks;
    salvage.image = card_;
    if (held_ < kCardSize) salvage.findings.push_back(cut_short(held_, kCardSize));
    for (Finding& finding : validate_ps1_header(card_))
      salvage.findings.push_back(std::move(finding));
    for (std::uint32_t block = 0; block < kBlocks; ++block) consider(block);
    std::vector<Claim> claims;
    for (const Candidate& candidate : candidates_) claims.push_back(claim_of(candidate));
    std::vector<bool> loose(kBlocks);
    for (std::uint32_t block = 0; block < kBlocks; ++block) loose[block] = is_loose(block);
    settle_claims(claims, loose);
    std::vector<bool> claimed(kBlocks);
    for (std::size_t i = 0; i < claims.size(); ++i) {
      salvage.saves.push_back(rescue(candidates_[i], claims[i]));
      for (const std::uint32_t block : claims[i].chain.blocks) claimed[block] = true;
    }
    // A block that holds something, of which its frame no longer tells whose it is.
    for (std::uint32_t block = 0; block < kBlocks; ++block)
      salvage.unnamed =
          salvage.unnamed || (!trusted(block) && !claimed[block] && !is_erased(data_at(block)));
    return salvage;
  }

 private:
  [[nodiscard]] ByteView data_at(std::uint32_t block) const {
    return ByteView(card_).subspan((block + 1) * kBlockSize, kBlockSize);
  }
  [[nodiscard]] bool is_there(std::uint32_t block) const {
    return (block + 2) * kBlockSize <= held_;
  }
  // A frame that can be believed: its check holds and its state is one.
  [[nodiscard]] bool trusted(std::uint32_t block) const {
    return frames_[block].holds && (frames_[block].in_use() || frames_[block].free());
  }

  // A block where a save begins: by its frame, or by its own magic where the frame is destroyed.
  void consider(std::uint32_t block) {
    const DirectoryFrame& frame = frames_[block];
    Candidate candidate{
        block, Bytes(frame_of(card_, block).begin(), frame_of(card_, block).end()), {}};
    if (trusted(block)) {
      if (frame.state == kFirst) candidates_.push_back(std::move(candidate));
      return;
    }
    const bool named = frame.name.size() > 2 && frame.name.starts_with('B') &&
                       frame.name.find('?') == std::string::npos;
    const bool first = frame.state == kFirst && named;
    if (!first && !is_save_start(data_at(block))) return;
    if (named) {
      candidate.repaired.emplace_back("its directory frame was repaired");
    } else {
      Save found;
      found.system = System::ps1;
      found.name = fmt::format("RESCUED-{}", block + 1);
      candidate.frame = frame_for(found);
      candidate.repaired.push_back("found by its own magic; its name is lost, so it is now " +
                                   found.name);
    }
    candidates_.push_back(std::move(candidate));
  }

  [[nodiscard]] std::uint32_t wanted_blocks(std::uint32_t first) const {
    const DirectoryFrame& frame = frames_[first];
    const ByteView data = data_at(first);
    const std::uint32_t by_frame =
        frame.size % kBlockSize == 0 && frame.size / kBlockSize <= kBlocks
            ? static_cast<std::uint32_t>(frame.size / kBlockSize)
            : 0;
    if (frame.holds && by_frame > 0) return by_frame;
    return is_save_start(data) ? own_block_count(data) : by_frame;
  }

  [[nodiscard]] Claim claim_of(const Candidate& candidate) const {
    Claim claim;
    claim.wanted = wanted_blocks(candidate.first);
    claim.chain = follow_chain(candidate.first, kBlocks, [&](std::uint32_t block) -> Link {
      const DirectoryFrame& frame = frames_[block];
      if (!trusted(block) && !frame.in_use())
        return {Link::Kind::broken, 0,
                fmt::format("the directory frame of block {} is destroyed", block + 1)};
      if (block != candidate.first && frame.state != kMiddle && frame.state != kLast)
        return {Link::Kind::broken, 0,
                fmt::format("its chain leads to block {}, which is not part of it", block + 1)};
      if (frame.next == kNoNext) return {Link::Kind::end, 0, {}};
      return {Link::Kind::next, frame.next, {}};
    });
    drop_foreign_end(claim.chain, candidate.first);
    const ByteView data = data_at(candidate.first);
    // What a console would read outranks everything that had to be guessed.
    const bool readable = frames_[candidate.first].holds && candidate.repaired.empty() &&
                          claim.chain.broken.empty() && claim.chain.blocks.size() == claim.wanted;
    claim.trust = (readable ? 8 : 0) + (frames_[candidate.first].holds ? 2 : 0) +
                  (is_save_start(data) ? 1 : 0) +
                  (is_save_start(data) && own_block_count(data) == claim.wanted ? 1 : 0);
    return claim;
  }

  // The block where a chain broke because it is not a part of a save is not the save's.
  void drop_foreign_end(Chain& chain, std::uint32_t first) const {
    if (chain.broken.empty() || chain.blocks.size() < 2) return;
    const std::uint32_t last = chain.blocks.back();
    const std::uint32_t state = frames_[last].state;
    if (last != first && trusted(last) && state != kMiddle && state != kLast)
      chain.blocks.pop_back();
  }

  // In use or destroyed, and not where a save begins.
  [[nodiscard]] bool is_loose(std::uint32_t block) const {
    const DirectoryFrame& frame = frames_[block];
    if (!is_there(block)) return false;
    if (std::any_of(candidates_.begin(), candidates_.end(),
                    [&](const Candidate& c) { return c.first == block; }))
      return false;
    return trusted(block) ? frame.state == kMiddle || frame.state == kLast : true;
  }

  Rescue rescue(const Candidate& candidate, const Claim& claim) const {
    std::vector<std::string> what = candidate.repaired;
    what.insert(what.end(), claim.what.begin(), claim.what.end());
    bool lost = claim.lost;
    for (const std::uint32_t block : claim.chain.blocks)
      if (!lost && !is_there(block)) {
        what.push_back(fmt::format("block {} is past the end of the file", block + 1));
        lost = true;
      }
    return rescue_of(
        make_save(candidate.frame, lost ? Bytes{} : data_of(card_, claim.chain.blocks)),
        std::move(what), {lost, claim.doubtful});
  }

  std::size_t held_;
  Bytes card_;
  std::vector<DirectoryFrame> frames_;
  std::vector<Candidate> candidates_;
};

}  // namespace

Result<Salvage> Ps1CardLayout::salvage(ByteView file) const {
  if (file.size() < kBlockSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a ps1 card's directory",
                "nothing of it can be rescued");
  return Salvager(file).run();
}

Findings Ps1CardLayout::validate(ByteView file) const {
  return validate_ps1(file);
}

}  // namespace bayswap
