// What a damaged controller pak still gives.
#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/n64/n64_pak.h"
#include "core/layouts/n64/n64_pak_format.h"
#include "core/layouts/n64/n64_pak_validate.h"

namespace bayswap {
namespace {

using namespace n64;

struct Candidate {
  Bytes note;
  bool nameless = false;
  bool confirmed = false;  // the table's check holds, or both tables say the same of it
  bool unsure = false;     // its chain stands in a table whose check fails, and the other differs
};

class Salvager {
 public:
  explicit Salvager(ByteView file) : held_(std::min(file.size(), kPakSize)) {
    pak_.assign(file.begin(), file.begin() + static_cast<std::ptrdiff_t>(held_));
    pak_.resize(kPakSize);
    current_ = current_index(pak_);
    merged_ = merge();
  }

  Salvage run() {
    Salvage salvage;
    salvage.blocks = kPages;
    salvage.image = pak_;
    if (is_erased(pak_)) return salvage;
    if (held_ < kPakSize) salvage.findings.push_back(cut_short(held_, kPakSize));
    for (Finding& finding : validate_pak_system(pak_))
      salvage.findings.push_back(std::move(finding));
    for (std::size_t slot = 0; slot < kNoteCount; ++slot)
      if (const ByteView note = note_at(pak_, slot); note_in_use(note) && is_believable(note))
        candidates_.push_back({Bytes(note.begin(), note.end())});
    find_orphans();
    std::vector<Claim> claims;
    for (Candidate& candidate : candidates_) claims.push_back(claim_of(candidate));
    // A note's length stands nowhere, so its claim can't be completed with pages of nobody.
    settle_claims(claims, std::vector<bool>(kPages));
    lay_out_lost(claims);
    doubt_shortened(claims);
    for (std::size_t i = 0; i < claims.size(); ++i)
      salvage.saves.push_back(rescue(candidates_[i], claims[i]));
    return salvage;
  }

 private:
  // The two tables put together: where one says what no table can, the other is believed.
  [[nodiscard]] Bytes merge() const {
    const ByteView better = index_of(pak_, current_);
    const ByteView other = index_of(pak_, 1 - current_);
    Bytes merged(better.begin(), better.end());
    for (std::uint32_t page = 0; page < kPages; ++page) {
      const std::uint16_t entry = index_entry(better, page);
      const bool sense = entry == kLastPage || entry == kFreePage ||
                         (entry >= kFirstPage && entry < kFirstPage + kPages);
      if (!sense)
        store_be(std::span(merged).subspan((std::size_t{page} + kFirstPage) * 2, 2),
                 index_entry(other, page));
    }
    return merged;
  }

  // What overwrote a slot may look like a note. Where the table is sound it says which pages such a
  // note had, if it was one.
  [[nodiscard]] bool is_believable(ByteView note) const {
    const ByteView index = index_of(pak_, current_);
    return is_plausible_note(note) || !index_holds(index) ||
           chain_in(index, note_start(note)).broken.empty();
  }

  // Chains of an index table that no note begins: their notes are destroyed.
  void find_orphans() {
    const ByteView index = index_of(pak_, current_);
    if (!index_holds(index)) return;
    std::vector<bool> led_to(kPages);
    for (const Candidate& candidate : candidates_)
      if (const std::uint32_t first = note_start(candidate.note); first < kPages)
        led_to[first] = true;
    for (std::uint32_t page = 0; page < kPages; ++page)
      if (const std::uint16_t next = index_entry(index, page);
          next >= kFirstPage && next < kFirstPage + kPages)
        led_to[next - kFirstPage] = true;
    for (std::uint32_t page = 0; page < kPages; ++page) {
      if (led_to[page] || index_entry(index, page) == kFreePage) continue;
      if (!chain_in(index, page).broken.empty()) continue;
      Save found;
      found.name = fmt::format("RESCUED-{}", page + kFirstPage);
      found.game.code = "0000";
      found.game.maker = "00";
      auto note = note_for(found);
      if (!note) continue;
      store_be(std::span(*note).subspan(kStart, 2), page + kFirstPage);
      candidates_.push_back({std::move(*note), true});
    }
  }

  // Where both tables are lost, a note still says where it begins: it gets the pages up to the next
  // one's. They may be more than its own.
  void lay_out_lost(std::vector<Claim>& claims) const {
    std::vector<bool> taken(kPages);
    for (std::size_t i = 0; i < claims.size(); ++i) {
      if (const std::uint32_t first = note_start(candidates_[i].note); first < kPages)
        taken[first] = true;
      if (!claims[i].lost)
        for (const std::uint32_t page : claims[i].chain.blocks) taken[page] = true;
    }
    for (std::size_t i = 0; i < claims.size(); ++i) {
      Claim& claim = claims[i];
      const std::uint32_t first = note_start(candidates_[i].note);
      if (!claim.lost || first >= kPages || !is_plausible_note(candidates_[i].note)) continue;
      if (!claim.chain.broken.empty() && claim.chain.blocks.empty()) continue;
      std::vector<std::uint32_t> pages{first};
      while (pages.back() + 1 < kPages && !taken[pages.back() + 1])
        pages.push_back(pages.back() + 1);
      while (pages.size() > 1 && is_erased(page_at(pages.back()))) pages.pop_back();
      for (const std::uint32_t page : pages) taken[page] = true;
      claim.chain = {std::move(pages), {}};
      claim.lost = false;
      claim.doubtful = true;
      claim.what.emplace_back(
          "it has the pages up to the next save's, which may be more than its own: try it before "
          "you rely on it");
    }
  }

  // Where the table's check fails and pages are left over, a chain that only it knows may have
  // lost its end.
  void doubt_shortened(const std::vector<Claim>& claims) {
    std::vector<bool> claimed(kPages);
    for (const Claim& claim : claims)
      for (const std::uint32_t page : claim.chain.blocks) claimed[page] = true;
    bool left_over = false;
    const ByteView index = index_of(pak_, current_);
    for (std::uint32_t page = 0; page < kPages; ++page) {
      const std::uint16_t next = index_entry(index, page);
      const bool used = next == kLastPage || (next >= kFirstPage && next < kFirstPage + kPages);
      left_over = left_over || (used && !claimed[page]);
    }
    for (Candidate& candidate : candidates_)
      candidate.unsure = candidate.unsure || (left_over && !candidate.confirmed);
  }

  [[nodiscard]] ByteView page_at(std::uint32_t page) const {
    return ByteView(pak_).subspan((std::size_t{page} + kFirstPage) * kPageSize, kPageSize);
  }

  [[nodiscard]] Claim claim_of(Candidate& candidate) const {
    const ByteView note = candidate.note;
    Claim claim;
    const std::uint32_t first = note_start(note);
    claim.chain = chain_in(index_of(pak_, current_), first);
    claim.trust = is_plausible_note(note) ? 1 : 0;
    if (claim.chain.broken.empty()) {
      const Chain spare = chain_in(index_of(pak_, 1 - current_), first);
      candidate.confirmed = index_holds(index_of(pak_, current_)) ||
                            (spare.broken.empty() && spare.blocks == claim.chain.blocks);
      candidate.unsure = !candidate.confirmed && spare.broken.empty();
      claim.trust += candidate.unsure ? 1 : 8;
    } else {
      for (const ByteView index : {index_of(pak_, 1 - current_), ByteView(merged_)}) {
        Chain spare = chain_in(index, first);
        if (!spare.broken.empty()) continue;
        claim.chain = std::move(spare);
        claim.what.emplace_back("its chain was taken from the copy of the index table");
        claim.trust += 2;
        break;
      }
    }
    if (claim.chain.broken.empty())
      claim.wanted = static_cast<std::uint32_t>(claim.chain.blocks.size());
    return claim;
  }

  [[nodiscard]] Rescue rescue(const Candidate& candidate, const Claim& claim) const {
    std::vector<std::string> what = claim.what;
    if (candidate.nameless)
      what.insert(what.begin(), "its note is lost, and with it its name, so it is now " +
                                    note_name(candidate.note));
    if (candidate.unsure)
      what.emplace_back("both index tables are damaged, and they differ about its pages");
    bool lost = claim.lost;
    for (const std::uint32_t page : claim.chain.blocks)
      if (!lost && (std::size_t{page} + kFirstPage + 1) * kPageSize > held_) {
        what.push_back(fmt::format("page {} is past the end of the file", page + kFirstPage));
        lost = true;
      }
    return rescue_of(make_save(candidate.note, lost ? Bytes{} : data_of(pak_, claim.chain.blocks)),
                     std::move(what),
                     {lost, claim.doubtful || candidate.unsure || candidate.nameless});
  }

  std::size_t held_;
  Bytes pak_;
  std::size_t current_ = 0;
  Bytes merged_;
  std::vector<Candidate> candidates_;
};

}  // namespace

Result<Salvage> N64PakLayout::salvage(ByteView file) const {
  if (file.size() < kNotes + kNoteCount * kNoteSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a controller pak's notes",
                "nothing of it can be rescued");
  return Salvager(file).run();
}

}  // namespace bayswap
