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
    std::vector<ByteView> notes;
    std::vector<Claim> claims;
    for (std::size_t slot = 0; slot < kNoteCount; ++slot)
      if (const ByteView note = note_at(pak_, slot); note_in_use(note)) {
        notes.push_back(note);
        claims.push_back(claim_of(note));
      }
    // A note's length stands nowhere, so pages that nobody claims are never guessed to be its.
    settle_claims(claims, std::vector<bool>(kPages));
    for (std::size_t i = 0; i < claims.size(); ++i)
      salvage.saves.push_back(rescue(notes[i], claims[i]));
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

  [[nodiscard]] Claim claim_of(ByteView note) const {
    Claim claim;
    const std::uint32_t first = note_start(note);
    claim.chain = chain_in(index_of(pak_, current_), first);
    claim.trust = is_plausible_note(note) ? 1 : 0;
    if (claim.chain.broken.empty()) {
      claim.trust += 8;
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

  [[nodiscard]] Rescue rescue(ByteView note, const Claim& claim) const {
    std::vector<std::string> what = claim.what;
    bool lost = claim.lost;
    for (const std::uint32_t page : claim.chain.blocks)
      if (!lost && (std::size_t{page} + kFirstPage + 1) * kPageSize > held_) {
        what.push_back(fmt::format("page {} is behind the end of the file", page + kFirstPage));
        lost = true;
      }
    return rescue_of(make_save(note, lost ? Bytes{} : data_of(pak_, claim.chain.blocks)),
                     std::move(what), lost, claim.doubtful);
  }

  std::size_t held_;
  Bytes pak_;
  std::size_t current_ = 0;
  Bytes merged_;
};

}  // namespace

Result<Salvage> N64PakLayout::salvage(ByteView file) const {
  if (file.size() < kNotes + kNoteCount * kNoteSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a controller pak's notes",
                "nothing of it can be rescued");
  return Salvager(file).run();
}

}  // namespace bayswap
