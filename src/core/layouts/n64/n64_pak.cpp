#include "core/layouts/n64/n64_pak.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/edit.h"
#include "core/layouts/n64/n64_pak_format.h"
#include "core/layouts/n64/n64_pak_validate.h"

namespace bayswap {
namespace {

using namespace n64;

ChipSpec pak_chip() {
  return {"n64-pak",        System::n64, "pak1", Arrangement::plain, kErasedZero, {kPakSize},
          "controller pak", {},          0};
}

Bytes padded_pak(ByteView file) {
  Bytes pak(file.begin(),
            file.begin() + static_cast<std::ptrdiff_t>(std::min(file.size(), kPakSize)));
  pak.resize(kPakSize);
  return pak;
}

void store_index(std::span<std::byte> index, std::uint32_t page, std::uint32_t value) {
  store_be(index.subspan((std::size_t{page} + kFirstPage) * 2, 2), value);
}

void write_id(std::span<std::byte> block) {
  std::ranges::fill(block, std::byte{0});
  // Consoles make the serial from chance and their clock; nothing reads it but them.
  store_be(block.first(4), 0xFFFFFFFFU);
  store_be(block.subspan(kIdDevice, 2), 1);
  block[kIdBanks] = std::byte{1};
  std::uint16_t sum = 0;
  for (std::size_t i = 0; i < kIdWords; ++i)
    sum = static_cast<std::uint16_t>(sum + Cursor(block).u16be(i * 2));
  store_be(block.subspan(kIdCheck, 2), sum);
  store_be(block.subspan(kIdInverse, 2), static_cast<std::uint16_t>(0xFFF2U - sum));
}

// Makes one table count, and the other its copy.
void seal_index(Bytes& pak, std::size_t copy) {
  const std::span<std::byte> all(pak);
  const auto index = all.subspan(kIndexOffsets.at(copy), kPageSize);
  index[kIndexCheck] = std::byte{index_check(index)};
  std::ranges::copy(index, all.subspan(kIndexOffsets.at(1 - copy)).begin());
}

// Checks and copies of the pak's own pages, made from those that count.
void seal(Bytes& pak) {
  const std::span<std::byte> all(pak);
  seal_index(pak, current_index(pak));
  const auto good = std::ranges::find_if(
      kIdOffsets, [&](std::size_t offset) { return id_holds(all.subspan(offset, kIdSize)); });
  if (good == kIdOffsets.end()) write_id(all.subspan(kIdOffsets.front(), kIdSize));
  const auto id = all.subspan(good == kIdOffsets.end() ? kIdOffsets.front() : *good, kIdSize);
  for (const std::size_t offset : kIdOffsets)
    if (!id_holds(all.subspan(offset, kIdSize))) std::ranges::copy(id, all.subspan(offset).begin());
}

Bytes formatted() {
  Bytes pak(kPakSize);
  const std::span<std::byte> all(pak);
  write_id(all.subspan(kIdOffsets.front(), kIdSize));
  for (std::uint32_t page = 0; page < kPages; ++page)
    store_index(all.subspan(kIndexOffsets.front(), kPageSize), page, kFreePage);
  seal(pak);
  return pak;
}

class PakEditor final : public CardEditor {
 public:
  std::optional<Error> unfit(const Save& save, const Card& /*card*/) const override {
    if (save.system != System::n64 || save.kind != Kind::card_save || save.parts.size() != 1)
      return wrong_save(save, "is not a note of a controller pak");
    const std::size_t size = save.parts.front().data.size();
    if (size == 0 || size % kPageSize != 0 || size > kPages * kPageSize)
      return wrong_save(save, fmt::format("{} bytes are not 1 to 123 pages of 256 bytes", size));
    const auto note = note_for(save);
    if (!note)
      return wrong_save(save,
                        "a controller pak needs a name of 1 to 16 letters for it, and it has "
                        "capitals, digits, katakana and few signs only");
    if (!note_in_use(*note))
      return wrong_save(save, "it has no game code and maker, which a controller pak needs");
    return std::nullopt;
  }

  std::uint32_t blocks_for(const Save& save, const Card& /*card*/) const override {
    return static_cast<std::uint32_t>(save.parts.front().data.size() / kPageSize);
  }

  void drop(Bytes& pak, const std::vector<const CardSave*>& saves) const override {
    const std::span<std::byte> all(pak);
    const std::size_t current = current_index(pak);
    const auto index = all.subspan(kIndexOffsets.at(current), kPageSize);
    for (const CardSave* save : saves) {
      for (std::size_t slot = 0; slot < kNoteCount; ++slot) {
        const auto note = all.subspan(kNotes + slot * kNoteSize, kNoteSize);
        if (same_bytes(note, save->save.entry)) std::ranges::fill(note, std::byte{0});
      }
      for (const std::uint32_t page : save->blocks) store_index(index, page, kFreePage);
    }
    seal_index(pak, current);
  }

  Result<void> put(Bytes& pak, const Save& save,
                   const std::vector<std::uint32_t>& pages) const override {
    const std::span<std::byte> all(pak);
    std::size_t slot = 0;
    while (slot < kNoteCount && note_in_use(note_at(pak, slot))) ++slot;
    if (slot == kNoteCount) return tl::unexpected(no_free_entry(save, kNoteCount));
    const std::size_t current = current_index(pak);
    const auto index = all.subspan(kIndexOffsets.at(current), kPageSize);
    for (std::size_t i = 0; i < pages.size(); ++i) {
      const bool last = i + 1 == pages.size();
      store_index(index, pages[i], last ? kLastPage : pages[i + 1] + kFirstPage);
      std::ranges::copy(ByteView(save.parts.front().data).subspan(i * kPageSize, kPageSize),
                        all.subspan((std::size_t{pages[i]} + kFirstPage) * kPageSize).begin());
    }
    Bytes note = *note_for(save);
    store_be(std::span(note).subspan(kStart, 2), pages.front() + kFirstPage);
    std::ranges::copy(note, all.subspan(kNotes + slot * kNoteSize).begin());
    seal_index(pak, current);
    return {};
  }
};

Finding unformatted() {
  return {Level::warn,
          Code::unformatted,
          "the pak is erased: it was never formatted",
          {"'", Remedy::put_on_card, "' formats it when it puts the first note on it"}};
}

CardSave save_at(ByteView pak, ByteView note, Chain chain) {
  CardSave found;
  found.blocks = std::move(chain.blocks);
  found.block_count = static_cast<std::uint32_t>(found.blocks.size());
  found.save = make_save(note, data_of(pak, found.blocks));
  if (!chain.broken.empty())
    found.findings.push_back(damaged(fmt::format("{}: {}", found.save.name, chain.broken)));
  return found;
}

}  // namespace

N64PakLayout::N64PakLayout() : chip_(pak_chip()), info_(chip_.info()) {
  info_.kind = Kind::card_save;
  info_.summary = "controller pak, 123 pages";
  card_info_ = {"n64", "n64-pak-note", {kPages}, kPages, kPageSize, kNameLength, "pak1"};
}

std::optional<Match> N64PakLayout::recognise(ByteView file, const Hints& hints) const {
  if (file.size() < kPakSize && file.size() >= kNotes + kNoteCount * kNoteSize &&
      pak_has_id(padded_pak(file)))
    return Match{Confidence::likely, "it begins as a controller pak, cut short", Basis::structure};
  return chip_.recognise(file, hints);
}

Result<Content> N64PakLayout::read(ByteView file, const Hints& hints) const {
  return chip_.read(file, hints);
}

Result<Written> N64PakLayout::write(const WriteRequest& request) const {
  const bool part = request.saves.size() == 1 && request.saves[0].kind == Kind::battery;
  return part ? chip_.write(request) : CardLayout::write(request);
}

Result<Card> N64PakLayout::open(ByteView file) const {
  if (file.size() < kNotes + kNoteCount * kNoteSize)
    return fail(Trouble::input, Code::damaged, "too short to hold a controller pak's notes",
                "copy or dump the pak again");
  const Bytes pak = padded_pak(file);
  Card found;
  found.block_size = kPageSize;
  found.blocks_total = kPages;
  found.map.resize(kPages);
  if (is_erased(pak)) {
    found.blocks_free = kPages;
    found.findings.push_back(unformatted());
    return found;
  }
  if (file.size() < kPakSize) found.findings.push_back(cut_short(file.size(), kPakSize));
  const ByteView index = index_of(pak, current_index(pak));
  std::vector<Chain> chains;
  for (std::size_t slot = 0; slot < kNoteCount; ++slot)
    if (const ByteView note = note_at(pak, slot); note_in_use(note)) {
      chains.push_back(chain_in(index, note_start(note)));
      found.saves.push_back(save_at(pak, note, chains.back()));
    }
  const auto claims = count_claims(chains, kPages);
  for (CardSave& save : found.saves) {
    if (std::ranges::any_of(save.blocks, [&](std::uint32_t page) {
          return (std::size_t{page} + kFirstPage + 1) * kPageSize > file.size();
        }))
      save.findings.push_back(runs_out(save.save));
    for (const std::uint32_t page : save.blocks)
      if (claims[page] > 1) {
        save.findings.push_back(damaged(fmt::format("{}: page {} is claimed by another note too",
                                                    save.save.name, page + kFirstPage)));
        break;
      }
  }
  for (std::uint32_t page = 0; page < kPages; ++page)
    if (index_entry(index, page) != kFreePage) found.map[page].state = BlockState::stray;
  draw_saves(found);
  for (Finding& finding : validate_pak_system(pak)) found.findings.push_back(std::move(finding));
  const auto strays = std::ranges::count_if(
      found.map, [](const BlockUse& use) { return use.state == BlockState::stray; });
  if (strays > 0) found.findings.push_back(stray_blocks(static_cast<std::uint64_t>(strays)));
  return found;
}

Findings N64PakLayout::validate(ByteView file) const {
  if (file.size() == kPakSize && is_erased(file)) return {unformatted()};
  return validate_pak(file);
}

Result<Bytes> N64PakLayout::format(std::uint32_t blocks) const {
  if (blocks != kPages) return tl::unexpected(wrong_capacity(card_info_, blocks));
  return formatted();
}

Result<Bytes> N64PakLayout::format_like(ByteView damaged, std::uint32_t blocks) const {
  auto pak = format(blocks);
  if (!pak || damaged.size() != kPakSize) return pak;
  // Its label and its serial stay.
  std::ranges::copy(damaged.first(kPageSize), pak->begin());
  seal(*pak);
  return pak;
}

Result<ChangedCard> N64PakLayout::change(ByteView file, const CardChange& change) const {
  Bytes pak = padded_pak(file);
  if (is_erased(pak)) pak = formatted();
  seal(pak);
  return change_saves(*this, PakEditor(), std::move(pak), change);
}

std::string N64PakLayout::identity(const Save& save) const {
  const auto note = note_for(save);
  return note ? note_identity(*note) : save.name;
}

std::string N64PakLayout::numbered(const Save& save, int number) const {
  const std::size_t dot = std::min(save.name.find('.'), save.name.size());
  std::string name = save.name.substr(0, dot);
  Save shorter = save;
  // Letters of the console's code take up to three bytes here, so they go one by one.
  while (!name.empty()) {
    shorter.name = fmt::format("{}-{}{}", name, number, save.name.substr(dot));
    if (note_for(shorter)) return shorter.name;
    name = whole_letters(name, name.size() - 1);
  }
  return fmt::format("{}", number);
}

}  // namespace bayswap
