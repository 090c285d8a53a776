#include "core/layouts/ps1/ps1_card.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/chains.h"
#include "core/layouts/ps1/ps1_format.h"
#include "core/layouts/ps1/ps1_validate.h"

namespace bayswap {
namespace {

using namespace ps1;

constexpr std::size_t kTrailerRoom = 256;

// A whole card from a file that may be cut short.
Bytes padded_card(ByteView file) {
  Bytes card(file.begin(),
             file.begin() + static_cast<std::ptrdiff_t>(std::min(file.size(), kCardSize)));
  card.resize(kCardSize);
  return card;
}

std::vector<DirectoryFrame> directory_of(ByteView card) {
  std::vector<DirectoryFrame> frames;
  for (std::uint32_t block = 0; block < kBlocks; ++block)
    frames.push_back(parse_frame(frame_of(card, block)));
  return frames;
}

bool starts_as_card(ByteView file) {
  return file.size() >= kFrameSize && to_u8(file[0]) == 'M' && to_u8(file[1]) == 'C';
}

// Frames that look like a card's directory whatever became of frame 0.
std::size_t plausible_frames(ByteView file) {
  if (file.size() < kBlockSize) return 0;
  std::size_t plausible = 0;
  for (std::uint32_t block = 0; block < kBlocks; ++block) {
    const DirectoryFrame frame = parse_frame(frame_of(file, block));
    if (frame.holds && (frame.in_use() || frame.free())) ++plausible;
  }
  return plausible;
}

// Follows the chain of a save, live or deleted, through frames of the right states.
Chain chain_of(const std::vector<DirectoryFrame>& frames, std::uint32_t first) {
  const bool live = frames[first].state == kFirst;
  const std::uint32_t middle = live ? kMiddle : kDeletedMiddle;
  const std::uint32_t last = live ? kLast : kDeletedLast;
  return follow_chain(first, kBlocks, [&](std::uint32_t block) -> Link {
    const DirectoryFrame& frame = frames[block];
    if (block != first && frame.state != middle && frame.state != last)
      return {Link::Kind::broken, 0,
              fmt::format("its chain leads to block {}, which is not part of a save", block + 1)};
    if (frame.next == kNoNext) {
      if (block != first && frame.state != last)
        return {Link::Kind::broken, 0, "its chain ends early"};
      return {Link::Kind::end, 0, {}};
    }
    if (frame.state == last)
      return {Link::Kind::broken, 0, "its chain goes on after its last block"};
    return {Link::Kind::next, frame.next, {}};
  });
}

CardSave save_at(ByteView card, const std::vector<DirectoryFrame>& frames, const Chain& chain) {
  const std::uint32_t first = chain.blocks.front();
  CardSave found;
  found.blocks = chain.blocks;
  found.block_count = static_cast<std::uint32_t>(chain.blocks.size());
  found.save = make_save(frame_of(card, first), data_of(card, chain.blocks));
  // Where the save goes on is the card's matter: off the card, its frame is that of a single file.
  found.save.entry = frame_for(found.save);
  const auto wrong = [&](const std::string& why) {
    found.findings.push_back(damaged(fmt::format("{}: {}", found.save.name, why)));
  };
  if (!chain.broken.empty()) wrong(chain.broken);
  if (!frames[first].holds) wrong("the check of its directory frame fails");
  if (is_erased(data_of(card, {first})))
    found.findings.push_back(odd_save(found.save, "its first block is erased"));
  if (chain.broken.empty() && frames[first].size != chain.blocks.size() * kBlockSize)
    wrong(fmt::format("its directory frame says {} bytes, its chain has {}", frames[first].size,
                      chain.blocks.size() * kBlockSize));
  return found;
}

void find_live(ByteView card, const std::vector<DirectoryFrame>& frames, Card& found) {
  std::vector<Chain> chains;
  for (std::uint32_t block = 0; block < kBlocks; ++block)
    if (frames[block].state == kFirst) chains.push_back(chain_of(frames, block));
  const auto claims = count_claims(chains, kBlocks);
  for (const Chain& chain : chains) {
    CardSave save = save_at(card, frames, chain);
    for (const std::uint32_t block : chain.blocks)
      if (claims[block] > 1)
        save.findings.push_back(damaged(
            fmt::format("{}: block {} is claimed by another save too", save.save.name, block + 1)));
    found.saves.push_back(std::move(save));
  }
}

void find_deleted(ByteView card, const std::vector<DirectoryFrame>& frames, Card& found) {
  std::vector<Chain> chains;
  for (std::uint32_t block = 0; block < kBlocks; ++block)
    if (frames[block].state == kDeletedFirst && frames[block].holds)
      chains.push_back(chain_of(frames, block));
  const auto claims = count_claims(chains, kBlocks);
  for (const Chain& chain : chains) {
    const bool shared = std::any_of(chain.blocks.begin(), chain.blocks.end(),
                                    [&](std::uint32_t block) { return claims[block] > 1; });
    CardSave save = save_at(card, frames, chain);
    if (!shared && save.findings.empty() && !save.save.name.empty())
      found.deleted.push_back(std::move(save));
  }
}

void draw_map(const std::vector<DirectoryFrame>& frames, Card& found) {
  found.map.resize(kBlocks);
  for (std::uint32_t block = 0; block < kBlocks; ++block)
    if (!frames[block].free()) found.map[block].state = BlockState::stray;
  draw_saves(found);
}

class Writer {
 public:
  explicit Writer(Bytes card) : card_(std::move(card)) {}

  void drop(const CardSave& save) {
    for (const std::uint32_t block : save.blocks) {
      const auto frame = frame_at(block);
      const std::uint32_t state = Cursor(frame).u32le(kState);
      store_le(frame.subspan(kState, 4), state - kFirst + kDeletedFirst);
      seal_frame(frame);
    }
  }

  void forget(const CardSave& deleted) {
    for (const std::uint32_t block : deleted.blocks) clear_frame(block);
  }

  void put(const Save& save, const std::vector<std::uint32_t>& blocks) {
    for (std::size_t i = 0; i < blocks.size(); ++i) {
      clear_frame(blocks[i]);
      const auto frame = frame_at(blocks[i]);
      if (i == 0) std::ranges::copy(frame_for(save), frame.begin());
      const bool last = i + 1 == blocks.size();
      store_le(frame.subspan(kState, 4), i == 0 ? kFirst : last ? kLast : kMiddle);
      store_le(frame.subspan(kNext, 2), last ? kNoNext : blocks[i + 1]);
      seal_frame(frame);
      write_block(blocks[i], ByteView(save.parts.front().data).subspan(i * kBlockSize, kBlockSize));
    }
  }

  // Checks of the card's own frames.
  Bytes sealed() {
    const std::span<std::byte> all(card_);
    const auto first = all.first(kFrameSize);
    if (!frame_holds(first) || !starts_as_card(first)) write_header(first);
    for (std::size_t i = 0; i < kBrokenCount; ++i) {
      const auto entry = all.subspan((kBrokenList + i) * kFrameSize, kFrameSize);
      if (!frame_holds(entry) || !names_a_frame(entry)) write_broken_entry(entry);
    }
    for (std::uint32_t block = 0; block < kBlocks; ++block) {
      const auto frame = frame_at(block);
      const DirectoryFrame parsed = parse_frame(frame);
      if (!parsed.in_use() && !parsed.free()) clear_frame(block);
      if (!parsed.holds) seal_frame(frame);
    }
    std::ranges::copy(first, all.subspan(kLastHeaderFrame * kFrameSize).begin());
    return std::move(card_);
  }

  // Nothing, or a frame behind the card's own.
  static bool names_a_frame(ByteView entry) {
    const std::uint32_t frame = Cursor(entry).u32le(0);
    return frame == 0xFFFFFFFFU ||
           (frame >= kBlockSize / kFrameSize && frame < kCardSize / kFrameSize);
  }

  static void write_header(std::span<std::byte> frame) {
    std::ranges::fill(frame, std::byte{0});
    frame[0] = std::byte{'M'};
    frame[1] = std::byte{'C'};
    seal_frame(frame);
  }

  static void write_broken_entry(std::span<std::byte> frame) {
    std::ranges::fill(frame, std::byte{0});
    store_le(frame.subspan(0, 4), 0xFFFFFFFFU);
    store_le(frame.subspan(kNext, 2), kNoNext);
    seal_frame(frame);
  }

  void clear_frame(std::uint32_t block) {
    const auto frame = frame_at(block);
    std::ranges::fill(frame, std::byte{0});
    store_le(frame.subspan(kState, 4), kFree);
    store_le(frame.subspan(kNext, 2), kNoNext);
    seal_frame(frame);
  }

 private:
  std::span<std::byte> frame_at(std::uint32_t block) {
    return std::span(card_).subspan((kDirectoryFrame + block) * kFrameSize, kFrameSize);
  }

  void write_block(std::uint32_t block, ByteView data) {
    const std::size_t start = (block + 1) * kBlockSize;
    std::ranges::copy(data, std::span(card_).subspan(start).begin());
    for (const auto& [broken, replacement] : replaced_frames(card_))
      if (broken >= start && broken < start + kBlockSize)
        std::ranges::copy(data.subspan(broken - start, kFrameSize),
                          std::span(card_).subspan(replacement).begin());
  }

  Bytes card_;
};

std::optional<Error> unfit(const Save& save) {
  if (save.system != System::ps1 || save.parts.size() != 1)
    return wrong_save(save, "is not a save of a ps1 card");
  const std::size_t size = save.parts.front().data.size();
  if (size == 0 || size % kBlockSize != 0 || size > kBlocks * kBlockSize)
    return wrong_save(save, fmt::format("{} bytes are not 1 to 15 blocks of 8 KiB", size));
  if (save.name.empty() || save.name.size() > kNameLength)
    return wrong_save(save, "a ps1 card needs a name of 1 to 20 letters for it");
  return std::nullopt;
}

}  // namespace

Ps1CardLayout::Ps1CardLayout() {
  info_ = {
      "ps1-card", System::ps1, Kind::card_save, "memory card, 15 blocks", {std::string(kDataPart)},
      {kCardSize}};
  card_info_ = {"ps1", "ps1-single", {kBlocks}, kBlocks, kBlockSize};
}

std::optional<Match> Ps1CardLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  const bool sized = file.size() >= kCardSize && file.size() < kCardSize + kTrailerRoom;
  if (!sized && !starts_as_card(file)) return std::nullopt;
  const std::size_t plausible = plausible_frames(file);
  if (starts_as_card(file) && frame_holds(file.first(kFrameSize)) && (sized || plausible >= 8))
    return Match{sized ? Confidence::certain : Confidence::likely,
                 "the first frame is a card's, and its check holds", Basis::structure};
  if (sized && starts_as_card(file))
    return Match{Confidence::likely, "it begins as a card", Basis::structure};
  if (sized && plausible >= 8)
    return Match{Confidence::likely, "its directory frames are a card's", Basis::structure};
  return std::nullopt;
}

Result<Card> Ps1CardLayout::open(ByteView file) const {
  if (file.size() < kBlockSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a ps1 card's directory",
                "copy or dump the card again");
  const Bytes card = padded_card(file);
  const auto frames = directory_of(card);
  Card found;
  found.block_size = kBlockSize;
  found.blocks_total = kBlocks;
  if (file.size() < kCardSize) found.findings.push_back(cut_short(file.size(), kCardSize));
  find_live(card, frames, found);
  find_deleted(card, frames, found);
  draw_map(frames, found);
  // Saves report what is wrong with themselves; the rest is the card's own.
  for (Finding& finding : validate_ps1_header(card)) found.findings.push_back(std::move(finding));
  for (std::uint32_t block = 0; block < kBlocks; ++block)
    if (frames[block].state != kFirst && !frames[block].holds)
      found.findings.push_back(
          damaged(fmt::format("the check of directory frame {} fails", block + 1)));
  const auto strays = std::count_if(found.map.begin(), found.map.end(), [](const BlockUse& use) {
    return use.state == BlockState::stray;
  });
  if (strays > 0) found.findings.push_back(stray_blocks(static_cast<std::uint64_t>(strays)));
  return found;
}

Result<Bytes> Ps1CardLayout::format(std::uint32_t blocks) const {
  if (blocks != kBlocks) return tl::unexpected(wrong_capacity(card_info_, blocks));
  Bytes card(kCardSize);
  std::fill(card.begin() + kReplacements * kFrameSize, card.begin() + kLastHeaderFrame * kFrameSize,
            kErasedOnes);
  Writer writer(std::move(card));
  for (std::uint32_t block = 0; block < kBlocks; ++block) writer.clear_frame(block);
  Bytes sealed = writer.sealed();
  for (std::size_t i = 0; i < kBrokenCount; ++i)
    Writer::write_broken_entry(
        std::span(sealed).subspan((kBrokenList + i) * kFrameSize, kFrameSize));
  return sealed;
}

Result<ChangedCard> Ps1CardLayout::change(ByteView file, const CardChange& change) const {
  auto card = open(file);
  if (!card) return tl::unexpected(card.error());
  if (auto wrong = no_such_place(change, card->saves.size())) return tl::unexpected(*wrong);
  Writer writer(padded_card(file));
  ChangedCard changed;
  for (const std::size_t place : change.drop) writer.drop(card->saves.at(place));
  Bytes bytes = writer.sealed();
  for (const Save& save : change.put) {
    if (auto wrong = unfit(save)) return tl::unexpected(*wrong);
    const auto now = open(bytes);
    if (!now) return tl::unexpected(now.error());
    if (std::any_of(now->saves.begin(), now->saves.end(),
                    [&](const CardSave& on_card) { return on_card.save.name == save.name; }))
      return tl::unexpected(name_taken(save));
    const auto count = static_cast<std::uint32_t>(save.parts.front().data.size() / kBlockSize);
    if (count > now->blocks_free) return tl::unexpected(no_room(save, count, *now));
    const auto blocks = choose_blocks(*now, count);
    Writer next(std::move(bytes));
    for (const CardSave& deleted : now->deleted)
      if (std::any_of(blocks.begin(), blocks.end(), [&](std::uint32_t block) {
            return now->map[block].state == BlockState::deleted &&
                   &now->deleted[now->map[block].save] == &deleted;
          })) {
        next.forget(deleted);
        changed.notes.push_back(no_longer_recoverable(deleted.save));
      }
    next.put(save, blocks);
    bytes = next.sealed();
  }
  changed.bytes = std::move(bytes);
  return changed;
}

}  // namespace bayswap
