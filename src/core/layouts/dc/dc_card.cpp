#include "core/layouts/dc/dc_card.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/edit.h"
#include "core/layouts/dc/dc_format.h"
#include "core/layouts/dc/dc_validate.h"

namespace bayswap {
namespace {

using namespace dc;

Bytes padded_card(ByteView file) {
  Bytes card(file.begin(),
             file.begin() + static_cast<std::ptrdiff_t>(std::min(file.size(), kCardSize)));
  card.resize(kCardSize);
  return card;
}

std::span<std::byte> block_of(Bytes& card, std::uint32_t block) {
  return std::span(card).subspan(std::size_t{block} * kBlockSize, kBlockSize);
}

void set_link(Bytes& card, std::uint32_t block, std::uint32_t value) {
  store_le(block_of(card, kTableBlock).subspan(std::size_t{block} * 2, 2), value);
}

// The card's own places, as every card has them; how many blocks users get stays as it was.
void seal(Bytes& card) {
  const std::uint32_t users = user_blocks(card);
  const auto root = block_of(card, kRootBlock);
  std::ranges::fill(root.subspan(kMark, kMarkLength), kMarkByte);
  store_le(root.subspan(kTablePlace, 2), kTableBlock);
  store_le(root.subspan(kTableSize, 2), 1);
  store_le(root.subspan(kDirectoryPlace, 2), kFirstDirectory);
  store_le(root.subspan(kDirectorySize, 2), kDirectoryBlocks);
  store_le(root.subspan(kUserCount, 2), users);
  set_link(card, kRootBlock, kEnd);
  set_link(card, kTableBlock, kEnd);
  for (std::uint32_t block = kFirstDirectory; block > kLastDirectory; --block)
    set_link(card, block, block - 1);
  set_link(card, kLastDirectory, kEnd);
}

class DcEditor final : public CardEditor {
 public:
  std::optional<Error> unfit(const Save& save, const Card& /*card*/) const override {
    if (save.system != System::dc || save.parts.size() != 1)
      return wrong_save(save, "is not a save of a dc card");
    const std::size_t size = save.parts.front().data.size();
    if (size == 0 || size % kBlockSize != 0 || size > kMostBlocks * kBlockSize)
      return wrong_save(save, fmt::format("{} bytes are not whole blocks of 512 bytes", size));
    if (save.name.empty() || save.name.size() > kNameLength)
      return wrong_save(save, "a dc card needs a name of 1 to 12 letters for it");
    const Entry entry = parse_entry(entry_for(save));
    if (!entry.in_use()) return wrong_save(save, "its directory entry is of no known type");
    return std::nullopt;
  }

  std::uint32_t blocks_for(const Save& save, const Card& /*card*/) const override {
    return static_cast<std::uint32_t>(save.parts.front().data.size() / kBlockSize);
  }

  // Data comes from the end down, so that a game, which runs in place, can lie at the start.
  Result<std::vector<std::uint32_t>> choose(const Save& save, const Card& card,
                                            std::uint32_t count) const override {
    std::vector<std::uint32_t> blocks;
    const auto is_free = [&](std::uint32_t block) {
      return card.map[block].state == BlockState::free;
    };
    if (!parse_entry(entry_for(save)).game()) {
      for (auto block = static_cast<std::uint32_t>(card.map.size()); block-- > 0;)
        if (is_free(block) && blocks.size() < count) blocks.push_back(block);
      return blocks;
    }
    for (const CardSave& on_card : card.saves)
      if (parse_entry(on_card.save.entry).game())
        return fail(Trouble::stopped, Code::no_room,
                    fmt::format("{} is a game, and the card has one already: {}",
                                safe_text(save.name), safe_text(on_card.save.name)),
                    "a card holds one game; take that one out and drop it first");
    for (std::uint32_t block = 0; block < count; ++block) {
      if (block < card.map.size() && is_free(block)) {
        blocks.push_back(block);
        continue;
      }
      return fail(Trouble::stopped, Code::no_room,
                  fmt::format("{} is a game and must lie in the first {} blocks, but block {} is "
                              "taken",
                              safe_text(save.name), count, block),
                  "take saves out and drop them until the card's first blocks are free");
    }
    return blocks;
  }

  void drop(Bytes& card, const std::vector<const CardSave*>& saves) const override {
    for (const CardSave* save : saves) {
      for (std::size_t slot = 0; slot < kEntries; ++slot)
        if (same_bytes(entry_at(card, slot), save->save.entry))
          std::ranges::fill(std::span(card).subspan(entry_offset(slot), kEntrySize), std::byte{0});
      for (const std::uint32_t block : save->blocks) set_link(card, block, kFree);
    }
  }

  Result<void> put(Bytes& card, const Save& save,
                   const std::vector<std::uint32_t>& blocks) const override {
    std::size_t slot = 0;
    while (slot < kEntries && parse_entry(entry_at(card, slot)).in_use()) ++slot;
    if (slot == kEntries) return tl::unexpected(no_free_entry(save, kEntries));
    const ByteView data = save.parts.front().data;
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      set_link(card, blocks[i], i + 1 < blocks.size() ? blocks[i + 1] : kEnd);
      std::ranges::copy(data.subspan(i * kBlockSize, kBlockSize),
                        block_of(card, blocks[i]).begin());
    }
    Bytes entry = entry_for(save);
    store_le(std::span(entry).subspan(kFirst, 2), blocks.front());
    std::ranges::copy(entry, std::span(card).subspan(entry_offset(slot)).begin());
    return {};
  }
};

CardSave save_at(ByteView card, ByteView record, const Chain& chain) {
  const Entry entry = parse_entry(record);
  CardSave found;
  found.blocks = chain.blocks;
  found.block_count = static_cast<std::uint32_t>(chain.blocks.size());
  found.save = make_save(record, data_of(card, chain.blocks));
  const auto wrong = [&](const std::string& why) {
    found.findings.push_back(damaged(fmt::format("{}: {}", found.save.name, why)));
  };
  if (!chain.broken.empty()) wrong(chain.broken);
  if (chain.broken.empty() && chain.blocks.size() != entry.blocks)
    wrong(fmt::format("its entry says {} blocks, its chain has {}", entry.blocks,
                      chain.blocks.size()));
  if (entry.game())
    for (std::uint32_t i = 0; i < chain.blocks.size(); ++i)
      if (chain.blocks[i] != i) {
        wrong("it is a game, but does not lie in one piece at the start of the card");
        break;
      }
  if (found.findings.empty())
    if (const std::string check = failed_check(found.save); !check.empty()) wrong(check);
  if (found.findings.empty() && lacks_header(found.save))
    found.findings.push_back(
        odd_save(found.save, "its header's numbers of pictures and bytes make no sense"));
  return found;
}

}  // namespace

DcCardLayout::DcCardLayout() {
  info_ = {
      "dc-card",  System::dc, Kind::card_save, "memory card, 200 blocks", {std::string(kDataPart)},
      {kCardSize}};
  card_info_ = {"dc", "dc-single", {kUserBlocks}, kUserBlocks, kBlockSize, kNameLength, {}};
}

std::optional<Match> DcCardLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() != kCardSize) return std::nullopt;
  const bool places =
      Cursor(file).u16le(kRootBlock * kBlockSize + kTablePlace) == kTableBlock &&
      Cursor(file).u16le(kRootBlock * kBlockSize + kDirectoryPlace) == kFirstDirectory;
  if (has_mark(file))
    return Match{places ? Confidence::certain : Confidence::likely,
                 "its last block is a card's root", Basis::structure};
  if (places && link_of(file, kRootBlock) == kEnd && link_of(file, kTableBlock) == kEnd)
    return Match{Confidence::likely, "its last blocks are laid out as a card's", Basis::structure};
  return std::nullopt;
}

Result<Card> DcCardLayout::open(ByteView file) const {
  if (file.size() < kLastDirectory * kBlockSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a dc card's directory",
                "copy or dump the card again");
  const Bytes card = padded_card(file);
  Card found;
  found.block_size = kBlockSize;
  found.blocks_total = user_blocks(card);
  if (file.size() < kCardSize) found.findings.push_back(cut_short(file.size(), kCardSize));
  std::vector<Chain> chains;
  for (std::size_t slot = 0; slot < kEntries; ++slot) {
    const ByteView record = entry_at(card, slot);
    if (!parse_entry(record).in_use()) continue;
    chains.push_back(chain_of(card, parse_entry(record).first));
    found.saves.push_back(save_at(card, record, chains.back()));
  }
  const auto claims = count_claims(chains, kMostBlocks);
  for (CardSave& save : found.saves) {
    if (std::ranges::any_of(save.blocks, [&](std::uint32_t block) {
          return (std::size_t{block} + 1) * kBlockSize > file.size();
        }))
      save.findings.push_back(runs_out(save.save));
    for (const std::uint32_t block : save.blocks)
      if (claims[block] > 1) {
        save.findings.push_back(damaged(
            fmt::format("{}: block {} is claimed by another save too", save.save.name, block)));
        break;
      }
  }
  found.map.resize(found.blocks_total);
  for (std::uint32_t block = 0; block < found.blocks_total; ++block)
    if (link_of(card, block) != kFree) found.map[block].state = BlockState::stray;
  draw_saves(found);
  for (Finding& finding : validate_dc_system(card)) found.findings.push_back(std::move(finding));
  const auto strays = std::ranges::count_if(
      found.map, [](const BlockUse& use) { return use.state == BlockState::stray; });
  if (strays > 0) found.findings.push_back(stray_blocks(static_cast<std::uint64_t>(strays)));
  return found;
}

Findings DcCardLayout::validate(ByteView file) const {
  return validate_dc(file);
}

Result<Bytes> DcCardLayout::format(std::uint32_t blocks) const {
  if (blocks != kUserBlocks) return tl::unexpected(wrong_capacity(card_info_, blocks));
  Bytes card(kCardSize);
  for (std::uint32_t block = 0; block < kCardBlocks; ++block) set_link(card, block, kFree);
  // Consoles take the time of the format from their clock; a card of ours has none.
  std::ranges::copy(bcd_bytes(Time{std::chrono::sys_days{std::chrono::year{2000} / 1 / 1}}),
                    block_of(card, kRootBlock).subspan(kFormatTime).begin());
  seal(card);
  return card;
}

Result<Bytes> DcCardLayout::format_like(ByteView damaged, std::uint32_t blocks) const {
  auto card = format(kUserBlocks);
  if (!card || damaged.size() != kCardSize || !has_mark(damaged)) return card;
  const auto root = damaged.subspan(kRootBlock * kBlockSize, kBlockSize);
  std::ranges::copy(root, block_of(*card, kRootBlock).begin());
  store_le(block_of(*card, kRootBlock).subspan(kUserCount, 2), blocks);
  seal(*card);
  return card;
}

Result<ChangedCard> DcCardLayout::change(ByteView file, const CardChange& change) const {
  if (file.size() < kLastDirectory * kBlockSize) return tl::unexpected(open(file).error());
  Bytes card = padded_card(file);
  seal(card);
  return change_saves(*this, DcEditor(), std::move(card), change);
}

}  // namespace bayswap
