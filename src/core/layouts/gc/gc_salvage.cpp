// What a damaged gc card still gives.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/gc/gc_card.h"
#include "core/layouts/gc/gc_format.h"
#include "core/layouts/gc/gc_validate.h"

namespace bayswap {
namespace {

using namespace gc;

struct Candidate {
  Bytes entry;
  std::vector<std::string> repaired;
  bool in_both = false;  // both copies of the directory have it
  bool nameless = false;
};

class Salvager {
 public:
  Salvager(ByteView file, std::uint32_t capacity) : held_(file.size()), capacity_(capacity) {
    card_.assign(file.begin(), file.end());
    card_.resize((capacity + kSystemBlocks) * kBlockSize);
    held_ = std::min(held_, card_.size());
    if (const auto map = current_map(card_)) {
      maps_.push_back(block_of(card_, 3 + *map));
      maps_.push_back(block_of(card_, 4 - *map));
    } else {
      maps_ = {block_of(card_, 3), block_of(card_, 4)};
    }
    sound_map_ = current_map(card_).has_value();
  }

  Salvage run() {
    Salvage salvage;
    salvage.blocks = capacity_;
    salvage.image = card_;
    if (held_ < card_.size()) salvage.findings.push_back(cut_short(held_, card_.size()));
    for (Finding& finding : validate_gc_system(card_))
      salvage.findings.push_back(std::move(finding));
    find_candidates();
    if (!current_directory(card_)) find_orphans();
    std::vector<Claim> claims;
    for (Candidate& candidate : candidates_) claims.push_back(claim_of(candidate));
    std::vector<bool> loose(capacity_);
    for (std::uint32_t block = 0; block < capacity_; ++block)
      loose[block] = is_there(block) && (!sound_map_ || map_entry(maps_[0], block) != 0);
    settle_claims(claims, loose);
    const bool shift_jis = header_holds(block_of(card_, 0)) && Cursor(card_).u16be(kEncoding) == 1;
    std::vector<bool> held_by(capacity_);
    for (std::size_t i = 0; i < claims.size(); ++i) {
      if (claims[i].lost && is_rescued_otherwise(i, claims)) continue;
      salvage.saves.push_back(rescue(candidates_[i], claims[i], shift_jis));
      for (const std::uint32_t block : claims[i].chain.blocks) held_by[block] = true;
    }
    report_strays(held_by, salvage);
    return salvage;
  }

 private:
  [[nodiscard]] bool is_there(std::uint32_t block) const {
    return (block + kSystemBlocks + 1) * kBlockSize <= held_;
  }

  // Entries of the copy that counts; where neither holds, everything in either that makes sense.
  void find_candidates() {
    std::vector<std::string> known;
    const auto add = [&](std::uint32_t copy, const char* why) {
      const ByteView directory = block_of(card_, 1 + copy);
      for (std::size_t i = 0; i < kEntries; ++i) {
        const ByteView entry = directory.subspan(i * kEntrySize, kEntrySize);
        if (is_filled(entry, kErasedOnes) || !is_entry(entry)) continue;
        const Entry parsed = parse_entry(entry);
        const std::string key = fmt::format("{}{}{}/{}/{}", parsed.code, parsed.maker, parsed.name,
                                            parsed.first, parsed.blocks);
        if (parsed.blocks == 0 || parsed.blocks > capacity_) continue;
        if (const auto same = std::ranges::find(known, key); same != known.end()) {
          candidates_[static_cast<std::size_t>(same - known.begin())].in_both = true;
          continue;
        }
        known.push_back(key);
        candidates_.push_back({Bytes(entry.begin(), entry.end()), {}, false, false});
        if (why != nullptr) candidates_.back().repaired.emplace_back(why);
      }
    };
    if (const auto current = current_directory(card_)) {
      add(*current, nullptr);
      return;
    }
    add(0, "its entry was taken from a directory whose check fails");
    add(1, "its entry was taken from a directory whose check fails");
    // What both copies say is more likely true, and keeps its name.
    std::stable_partition(candidates_.begin(), candidates_.end(),
                          [](const Candidate& candidate) { return candidate.in_both; });
  }

  // Chains of the map that no entry begins: their entries are destroyed.
  void find_orphans() {
    if (!sound_map_) return;
    std::vector<bool> led_to(capacity_);
    const auto lead = [&](std::uint32_t block) {
      if (block >= kSystemBlocks && block - kSystemBlocks < capacity_)
        led_to[block - kSystemBlocks] = true;
    };
    for (const Candidate& candidate : candidates_) lead(parse_entry(candidate.entry).first);
    for (std::uint32_t block = 0; block < capacity_; ++block) lead(map_entry(maps_[0], block));
    for (std::uint32_t block = 0; block < capacity_; ++block) {
      if (led_to[block] || map_entry(maps_[0], block) == 0) continue;
      const Chain chain = chain_in(maps_[0], block);
      if (!chain.broken.empty()) continue;
      Save found;
      found.name = fmt::format("RESCUED-{}", block + kSystemBlocks);
      found.game.code = "0000";
      found.game.maker = "00";
      found.parts.push_back(
          {std::string(kDataPart), Bytes(chain.blocks.size() * kBlockSize), false, {}});
      Candidate candidate{entry_for(found), {}, false, true};
      store_be(std::span(candidate.entry).subspan(kFirstBlock, 2), block + kSystemBlocks);
      candidate.repaired.push_back(
          "its entry is lost, and with it its name and game, so it is now " + found.name);
      candidates_.push_back(std::move(candidate));
    }
  }

  [[nodiscard]] Chain chain_in(ByteView map, std::uint32_t first) const {
    return follow_chain(first, capacity_, [&](std::uint32_t block) -> Link {
      const std::uint16_t next = map_entry(map, block);
      if (next == kMapEnd) return {Link::Kind::end, 0, {}};
      if (next < kSystemBlocks || next - kSystemBlocks >= capacity_)
        return {Link::Kind::broken, 0,
                fmt::format("its chain breaks at block {}", block + kSystemBlocks)};
      return {Link::Kind::next, next - kSystemBlocks, {}};
    });
  }

  Claim claim_of(Candidate& candidate) const {
    const Entry entry = parse_entry(candidate.entry);
    Claim claim;
    claim.wanted = entry.blocks;
    const std::uint32_t first = entry.first >= kSystemBlocks ? entry.first - kSystemBlocks : 0xFFFF;
    claim.chain = chain_in(maps_[0], first);
    const auto fits = [&](const Chain& chain) {
      return chain.broken.empty() && chain.blocks.size() == entry.blocks;
    };
    if (!fits(claim.chain)) {
      Chain spare = chain_in(maps_[1], first);
      if (fits(spare)) {
        claim.chain = std::move(spare);
        candidate.repaired.emplace_back("its chain was taken from the spare map");
      }
    }
    claim.trust = (fits(claim.chain) ? 2 : 0) + (candidate.repaired.empty() ? 1 : 0);
    return claim;
  }

  // The two copies of a directory may call one save by two names: one of them is enough.
  [[nodiscard]] bool is_rescued_otherwise(std::size_t lost,
                                          const std::vector<Claim>& claims) const {
    if (current_directory(card_)) return false;
    const std::uint16_t first = parse_entry(candidates_[lost].entry).first;
    for (std::size_t i = 0; i < claims.size(); ++i)
      if (!claims[i].lost && parse_entry(candidates_[i].entry).first == first) return true;
    return false;
  }

  Rescue rescue(const Candidate& candidate, const Claim& claim, bool shift_jis) const {
    std::vector<std::string> what = candidate.repaired;
    what.insert(what.end(), claim.what.begin(), claim.what.end());
    bool lost = claim.lost;
    for (const std::uint32_t block : claim.chain.blocks)
      if (!lost && !is_there(block)) {
        what.push_back(fmt::format("block {} is past the end of the file", block + kSystemBlocks));
        lost = true;
      }
    Bytes data;
    if (!lost)
      for (const std::uint32_t block : claim.chain.blocks) {
        const ByteView bytes = block_of(card_, block + kSystemBlocks);
        data.insert(data.end(), bytes.begin(), bytes.end());
      }
    return rescue_of(make_save(candidate.entry, std::move(data), shift_jis), std::move(what),
                     {lost, claim.doubtful || candidate.nameless});
  }

  void report_strays(const std::vector<bool>& held_by, Salvage& salvage) const {
    if (!sound_map_) return;
    std::uint32_t strays = 0;
    for (std::uint32_t block = 0; block < capacity_; ++block)
      if (map_entry(maps_[0], block) != 0 && !held_by[block]) ++strays;
    salvage.unnamed = strays > 0;
    if (strays > 0)
      salvage.findings.push_back(
          damaged(fmt::format("{} blocks are in use, but no entry names their save", strays)));
  }

  Bytes card_;
  std::size_t held_;
  std::uint32_t capacity_;
  std::vector<ByteView> maps_;
  bool sound_map_ = false;
  std::vector<Candidate> candidates_;
};

}  // namespace

Result<Salvage> GcCardLayout::salvage(ByteView file) const {
  const std::uint32_t capacity = capacity_of(file);
  if (file.size() < kSystemBlocks * kBlockSize || capacity == 0)
    return fail(Trouble::input, Code::damaged, "too short or too long for a gc card",
                "nothing of it can be rescued");
  return Salvager(file, capacity).run();
}

}  // namespace bayswap
