// What a damaged dc card still gives.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
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
    // Which blocks complete a chain is told by the rule for where saves lie, and by their checks.
    settle_claims(claims, std::vector<bool>(kMostBlocks));
    lay_out_lost(claims);
    // A save that lies round another is found once that one is.
    while (is_table_lost() && find_by_checks(claims)) {
    }
    for (std::size_t i = 0; i < claims.size(); ++i)
      salvage.saves.push_back(rescue(candidates_[i], claims[i]));
    // Without a directory nothing says what else the card held, but for blocks that hold nothing.
    salvage.unnamed = is_a_chain_left(claims) || held_ < kLastDirectory * kBlockSize ||
                      (held_ < (kFirstDirectory + 1) * kBlockSize && is_something_left(claims));
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
      if (header && header->check_holds)
        candidates_.push_back(nameless_at(block, chain.blocks.size()));
      else
        nameless_chains_.push_back(chain.blocks);
    }
  }

  // The end of a broken chain looks like one that no entry begins, until its save has it again.
  [[nodiscard]] bool is_a_chain_left(const std::vector<Claim>& claims) const {
    const std::vector<bool> taken = taken_by(claims);
    return std::ranges::any_of(nameless_chains_, [&](const std::vector<std::uint32_t>& chain) {
      return !is_erased(data_of(card_, chain)) &&
             std::ranges::none_of(chain, [&](std::uint32_t block) { return taken[block]; });
    });
  }

  [[nodiscard]] bool is_something_left(const std::vector<Claim>& claims) const {
    const std::vector<bool> taken = taken_by(claims);
    for (std::uint32_t block = 0; block < kMostBlocks; ++block)
      if (!taken[block] && !is_erased(block_at(block))) return true;
    return false;
  }

  [[nodiscard]] ByteView block_at(std::uint32_t block) const {
    return ByteView(card_).subspan(std::size_t{block} * kBlockSize, kBlockSize);
  }

  // The table says nothing any more: its own entry, or the directory's, is not what it has to be.
  [[nodiscard]] bool is_table_lost() const {
    return !is_there(kTableBlock) || link_of(card_, kTableBlock) != kEnd ||
           link_of(card_, kRootBlock) != kEnd;
  }

  // These blocks and more from the last one down, without those that are another save's. Empty when
  // there are too few.
  static std::vector<std::uint32_t> run_down(std::vector<std::uint32_t> run, std::size_t wanted,
                                             const std::vector<bool>& taken) {
    for (std::uint32_t block = run.back(); run.size() < wanted && block-- > 0;)
      if (!taken[block] && std::ranges::find(run, block) == run.end()) run.push_back(block);
    if (run.size() != wanted) run.clear();
    return run;
  }

  // Where a save with a broken chain may lie: what its links say as far as they can be right, then
  // down from there, with or without the blocks that the table calls free.
  [[nodiscard]] std::vector<std::vector<std::uint32_t>> layouts_of(
      const Entry& entry, const std::vector<Claim>& claims) const {
    const std::vector<bool> taken = taken_by(claims);
    std::vector<bool> not_free = taken;
    for (std::uint32_t block = 0; block < kMostBlocks; ++block)
      if (link_of(card_, block) == kFree) not_free[block] = true;
    std::vector<std::uint32_t> linked = chain_of(card_, entry.first).blocks;
    std::vector<std::vector<std::uint32_t>> layouts;
    for (std::size_t known = std::min<std::size_t>(linked.size(), entry.blocks); known > 0;
         --known) {
      const std::vector<std::uint32_t> start(linked.begin(),
                                             linked.begin() + static_cast<std::ptrdiff_t>(known));
      for (const std::vector<bool>& others : {not_free, taken})
        if (auto run = run_down(start, entry.blocks, others); !run.empty())
          layouts.push_back(std::move(run));
    }
    return layouts;
  }

  [[nodiscard]] std::vector<bool> taken_by(const std::vector<Claim>& claims) const {
    std::vector<bool> taken(kMostBlocks);
    for (std::size_t i = 0; i < claims.size(); ++i) {
      const std::uint32_t first = parse_entry(candidates_[i].record).first;
      if (claims[i].lost && first < kMostBlocks) taken[first] = true;
      if (claims[i].lost) continue;
      for (const std::uint32_t block : claims[i].chain.blocks) taken[block] = true;
    }
    return taken;
  }

  // Saves whose chains are broken lie from their first block down, round the others. Their checks
  // confirm it; without that it is a guess.
  void lay_out_lost(std::vector<Claim>& claims) const {
    for (const bool guess : {false, true})
      for (std::size_t i = 0; i < claims.size(); ++i) {
        Claim& claim = claims[i];
        const Entry entry = parse_entry(candidates_[i].record);
        if (!claim.lost || entry.game() || entry.blocks == 0 || entry.first >= kMostBlocks)
          continue;
        auto runs = layouts_of(entry, claims);
        const auto right = std::ranges::find_if(
            runs, [&](const auto& run) { return check_holds(candidates_[i], run); });
        const bool confirmed = right != runs.end();
        if (runs.empty() || (!confirmed && !guess)) continue;
        claim.chain = {confirmed ? *right : runs[0], {}};
        claim.lost = false;
        claim.doubtful = !confirmed;
        claim.what = {confirmed
                          ? "its chain was rebuilt, and its check confirms it"
                          : "its chain was rebuilt as a console usually lays a save out: try it "
                            "before you rely on it"};
      }
  }

  // Without table and directory: a save begins where the blocks from there down hold a header that
  // its check confirms. Deleted saves are found, too.
  bool find_by_checks(std::vector<Claim>& claims) {
    const std::size_t before = claims.size();
    std::vector<bool> taken = taken_by(claims);
    for (std::uint32_t block = kMostBlocks; block-- > 0;) {
      if (taken[block] || !is_there(block)) continue;
      std::vector<std::uint32_t> run{block};
      for (std::uint32_t next = block; next-- > 0;)
        if (!taken[next]) run.push_back(next);
      const auto header = parse_header(data_of(card_, run), 0);
      if (!header || !header->check_holds) continue;
      run.resize((header->checked + kBlockSize - 1) / kBlockSize);
      Candidate found = nameless_at(block, run.size());
      Claim claim;
      claim.wanted = static_cast<std::uint32_t>(run.size());
      for (const std::uint32_t mine : run) taken[mine] = true;
      claim.chain = {std::move(run), {}};
      candidates_.push_back(std::move(found));
      claims.push_back(std::move(claim));
    }
    return claims.size() > before;
  }

  static Candidate nameless_at(std::uint32_t block, std::size_t blocks) {
    Candidate found{Bytes(kEntrySize), {"found by its own header and check"}};
    const std::span<std::byte> record(found.record);
    record[kType] = std::byte{kDataType};
    store_le(record.subspan(kFirst, 2), block);
    store_le(record.subspan(kBlockCount, 2), blocks);
    name_it(found, block);
    return found;
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
        what.push_back(fmt::format("block {} is past the end of the file", block));
        lost = true;
      }
    Rescue rescue =
        rescue_of(make_save(candidate.record, lost ? Bytes{} : data_of(card_, claim.chain.blocks)),
                  std::move(what), {lost, claim.doubtful});
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
  // Those that no entry begins, and that do not confirm themselves.
  std::vector<std::vector<std::uint32_t>> nameless_chains_;
};

}  // namespace

Result<Salvage> DcCardLayout::salvage(ByteView file) const {
  Salvage salvage = Salvager(file).run();
  if (file.size() < kLastDirectory * kBlockSize && salvage.saves.empty())
    return fail(Trouble::input, Code::damaged,
                "too short to hold a dc card's directory, and no save in it confirms itself",
                "nothing of it can be rescued");
  return salvage;
}

}  // namespace bayswap
