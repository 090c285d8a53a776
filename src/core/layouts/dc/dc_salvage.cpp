// What a damaged dc card still gives.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/dc/dc_card.h"
#include "core/layouts/dc/dc_format.h"
#include "core/layouts/dc/dc_validate.h"

namespace bayswap {
namespace {

using namespace dc;

struct Candidate {
  Bytes record;
  std::vector<std::string> repaired;
};

class Salvager {
 public:
  explicit Salvager(ByteView file) : held_(std::min(file.size(), kCardSize)) {
    card_.assign(file.begin(), file.begin() + static_cast<std::ptrdiff_t>(held_));
    card_.resize(kCardSize);
  }

  Salvage run() {
    Salvage salvage;
    salvage.blocks = user_blocks(card_);
    salvage.image = card_;
    if (held_ < kCardSize) salvage.findings.push_back(cut_short(held_, kCardSize));
    for (Finding& finding : validate_dc_system(card_))
      salvage.findings.push_back(std::move(finding));
    find_entries();
    find_orphans();
    std::vector<Claim> claims;
    for (Candidate& candidate : candidates_) claims.push_back(claim_of(candidate));
    std::vector<bool> loose(kMostBlocks);
    for (std::uint32_t block = 0; block < kMostBlocks; ++block)
      loose[block] = is_there(block) && link_of(card_, block) != kFree;
    settle_claims(claims, loose);
    for (std::size_t i = 0; i < claims.size(); ++i)
      salvage.saves.push_back(rescue(candidates_[i], claims[i]));
    return salvage;
  }

 private:
  [[nodiscard]] bool is_there(std::uint32_t block) const {
    return (std::size_t{block} + 1) * kBlockSize <= held_;
  }

  void find_entries() {
    bool game = false;
    for (std::size_t slot = 0; slot < kEntries; ++slot) {
      const ByteView record = entry_at(card_, slot);
      const Entry entry = parse_entry(record);
      if (!entry.in_use()) continue;
      Candidate candidate{Bytes(record.begin(), record.end()), {}};
      if (entry.game() && game) {
        // A card has one game: the second entry's type byte is wrong.
        candidate.record[kType] = std::byte{kDataType};
        candidate.repaired.emplace_back("a card has only one game, so it is a data save now");
      }
      game = game || entry.game();
      if (entry.name.empty()) name_it(candidate, slot);
      candidates_.push_back(std::move(candidate));
    }
  }

  static void name_it(Candidate& candidate, std::size_t number) {
    const std::string name = fmt::format("RESCUED-{}", number);
    const auto field = std::span(candidate.record).subspan(kName, kNameLength);
    std::ranges::fill(field, std::byte{0});
    std::ranges::copy(as_bytes(name), field.begin());
    candidate.repaired.push_back("its name is lost, so it is now " + name);
  }

  // Chains that no entry names, and whose data begins with a header that its check confirms.
  void find_orphans() {
    std::vector<bool> led_to(kMostBlocks);
    for (std::uint32_t block = 0; block < kMostBlocks; ++block)
      if (const std::uint16_t next = link_of(card_, block); next < kMostBlocks) led_to[next] = true;
    for (const Candidate& candidate : candidates_)
      if (const std::uint32_t first = parse_entry(candidate.record).first; first < kMostBlocks)
        led_to[first] = true;
    for (std::uint32_t block = 0; block < kMostBlocks; ++block) {
      if (led_to[block] || link_of(card_, block) == kFree) continue;
      const Chain chain = chain_of(card_, block);
      if (!chain.broken.empty()) continue;
      const auto header = parse_header(data_of(card_, chain.blocks), 0);
      if (!header || !header->check_holds) continue;
      Candidate found{Bytes(kEntrySize), {"found by its own header and check"}};
      const std::span<std::byte> record(found.record);
      record[kType] = std::byte{kDataType};
      store_le(record.subspan(kFirst, 2), block);
      store_le(record.subspan(kBlockCount, 2), chain.blocks.size());
      name_it(found, block);
      candidates_.push_back(std::move(found));
    }
  }

  [[nodiscard]] bool check_holds(const Candidate& candidate,
                                 const std::vector<std::uint32_t>& blocks) const {
    const Entry entry = parse_entry(candidate.record);
    const auto header =
        parse_header(data_of(card_, blocks), std::size_t{entry.header} * kBlockSize);
    return header && header->check_holds;
  }

  Claim claim_of(Candidate& candidate) const {
    const Entry entry = parse_entry(candidate.record);
    Claim claim;
    claim.wanted = entry.blocks <= kMostBlocks ? entry.blocks : 0;
    claim.chain = chain_of(card_, entry.first);
    const bool fits = claim.chain.broken.empty() && claim.chain.blocks.size() == claim.wanted;
    const bool in_place = !entry.game() || is_in_place(claim.chain.blocks);
    claim.trust = (fits && in_place ? 8 : 0) + (candidate.repaired.empty() ? 2 : 0);
    if (fits && in_place) {
      claim.trust += check_holds(candidate, claim.chain.blocks) ? 4 : 0;
      return claim;
    }
    // Where a save lies by rule: a game from 0 up, data in one run down from its first block. What
    // its check confirms is believed.
    for (const bool length_by_chain : {false, true}) {
      const auto wanted = length_by_chain ? claim.chain.blocks.size() : claim.wanted;
      if (wanted == 0 || (length_by_chain && !claim.chain.broken.empty())) continue;
      std::vector<std::uint32_t> run =
          length_by_chain ? claim.chain.blocks : by_rule(entry, wanted);
      if (run.size() != wanted || (entry.game() && !is_in_place(run))) continue;
      if (!entry.game() && !check_holds(candidate, run)) continue;
      claim.chain = {std::move(run), {}};
      claim.wanted = static_cast<std::uint32_t>(wanted);
      claim.trust += 4;
      candidate.repaired.emplace_back(
          length_by_chain ? "the length in its entry was wrong, its check tells"
          : entry.game()  ? "its chain was rebuilt: a game lies in one piece"
                          : "its chain was rebuilt, and its check confirms it");
      return claim;
    }
    return claim;
  }

  static bool is_in_place(const std::vector<std::uint32_t>& blocks) {
    for (std::uint32_t i = 0; i < blocks.size(); ++i)
      if (blocks[i] != i) return false;
    return true;
  }

  static std::vector<std::uint32_t> by_rule(const Entry& entry, std::size_t wanted) {
    std::vector<std::uint32_t> run;
    for (std::uint32_t i = 0; i < wanted; ++i) {
      const std::uint32_t block = entry.game() ? i : entry.first - i;
      if (block >= kMostBlocks) return {};
      run.push_back(block);
    }
    return run;
  }

  [[nodiscard]] Rescue rescue(const Candidate& candidate, const Claim& claim) const {
    std::vector<std::string> what = candidate.repaired;
    what.insert(what.end(), claim.what.begin(), claim.what.end());
    bool lost = claim.lost;
    for (const std::uint32_t block : claim.chain.blocks)
      if (!lost && !is_there(block)) {
        what.push_back(fmt::format("block {} is behind the end of the file", block));
        lost = true;
      }
    Rescue rescue =
        rescue_of(make_save(candidate.record, lost ? Bytes{} : data_of(card_, claim.chain.blocks)),
                  std::move(what), lost, claim.doubtful);
    if (lost) return rescue;
    if (const std::string failed = failed_check(rescue.save); !failed.empty()) {
      rescue.state = RescueState::damaged;
      rescue.what.push_back(failed);
    }
    return rescue;
  }

  std::size_t held_;
  Bytes card_;
  std::vector<Candidate> candidates_;
};

}  // namespace

Result<Salvage> DcCardLayout::salvage(ByteView file) const {
  if (file.size() < kLastDirectory * kBlockSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a dc card's directory",
                "nothing of it can be rescued");
  return Salvager(file).run();
}

}  // namespace bayswap
