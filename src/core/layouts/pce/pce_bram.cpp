#include "core/layouts/pce/pce_bram.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/common/card_map.h"
#include "core/layouts/common/edit.h"
#include "core/layouts/common/rescues.h"
#include "core/layouts/pce/pce_format.h"
#include "core/layouts/pce/pce_validate.h"

namespace bayswap {
namespace {

using namespace pce;

constexpr std::size_t kTrailerRoom = 256;

Bytes padded(ByteView file) {
  Bytes memory(file.begin(),
               file.begin() + static_cast<std::ptrdiff_t>(std::min(file.size(), kMemorySize)));
  memory.resize(kMemorySize);
  return memory;
}

bool has_mark(ByteView file) {
  return file.size() >= kMark.size() &&
         std::ranges::equal(file.first(kMark.size()), as_bytes(kMark));
}

Error too_short() {
  return {Trouble::input, Code::damaged, "too short to hold pce backup memory",
          "copy or dump it again"};
}

// The memory with these entries, one behind the other.
Bytes assembled(ByteView before, const std::vector<Bytes>& entries) {
  Bytes memory(kMemorySize);
  std::ranges::copy(before.first(kHeaderSize), memory.begin());
  const std::span<std::byte> all(memory);
  std::ranges::copy(as_bytes(kMark), memory.begin());
  std::size_t at = kFirstEntry;
  for (const Bytes& entry : entries) {
    std::ranges::copy(entry, all.subspan(at).begin());
    at += entry.size();
  }
  store_le(all.subspan(kEndAddress, 2), kEnd);
  store_le(all.subspan(kNextAddress, 2), kBase + at);
  std::ranges::fill(all.subspan(kNextAddress + 2, kHeaderSize - kNextAddress - 2), std::byte{0});
  return memory;
}

std::vector<Bytes> entries_of(ByteView memory) {
  std::vector<Bytes> entries;
  for (const Place& place : list_of(memory).entries) {
    const ByteView entry = memory.subspan(place.at, place.size);
    entries.emplace_back(entry.begin(), entry.end());
  }
  return entries;
}

class PceEditor final : public CardEditor {
 public:
  std::optional<Error> unfit(const Save& save, const Card& /*card*/) const override {
    if (save.system != System::pce || save.parts.size() != 1)
      return wrong_save(save, "is not a save of pce backup memory");
    if (save.name.empty() || entry_for(save).size() > 0xFFFF)
      return wrong_save(save, "pce backup memory needs a name of 1 to 10 letters for it");
    Save named = make_save(entry_for(save));
    if (named.name != save.name)
      return wrong_save(save, "its name does not fit into the 10 letters of pce backup memory");
    return std::nullopt;
  }

  std::uint32_t blocks_for(const Save& save, const Card& /*card*/) const override {
    return static_cast<std::uint32_t>(kEntryHeader + save.parts.front().data.size());
  }

  void drop(Bytes& memory, const std::vector<const CardSave*>& saves) const override {
    std::vector<Bytes> kept = entries_of(memory);
    std::vector<bool> gone(kept.size());
    const List list = list_of(memory);
    for (const CardSave* save : saves)
      for (std::size_t i = 0; i < kept.size(); ++i)
        if (list.entries[i].at - kFirstEntry == save->blocks.front()) gone[i] = true;
    std::vector<Bytes> left;
    for (std::size_t i = 0; i < kept.size(); ++i)
      if (!gone[i]) left.push_back(std::move(kept[i]));
    memory = assembled(memory, left);
  }

  Result<void> put(Bytes& memory, const Save& save,
                   const std::vector<std::uint32_t>& /*blocks*/) const override {
    std::vector<Bytes> entries = entries_of(memory);
    entries.push_back(entry_for(save));
    memory = assembled(memory, entries);
    return {};
  }
};

}  // namespace

PceBramLayout::PceBramLayout() {
  info_ = {
      "pce-bram",   System::pce, Kind::card_save, "backup memory, 2 KiB", {std::string(kDataPart)},
      {kMemorySize}};
  card_info_ = {"pce", "pce-single", {kUserBytes}, kUserBytes, 1, kNameLength, {}};
}

std::optional<Match> PceBramLayout::recognise(ByteView file, const Hints& /*hints*/) const {
  if (file.size() < kFirstEntry + kEntryHeader || file.size() >= kMemorySize + kTrailerRoom)
    return std::nullopt;
  if (file.size() < kMemorySize) {
    if (!has_mark(file) || Cursor(file).u16le(kEndAddress) != kEnd) return std::nullopt;
    return Match{Confidence::likely, "it begins as backup memory, cut short", Basis::structure};
  }
  const bool places = Cursor(file).u16le(kEndAddress) == kEnd;
  if (has_mark(file))
    return Match{places ? Confidence::certain : Confidence::likely, "it begins as backup memory",
                 Basis::structure};
  const List list = list_of(file.first(kMemorySize));
  if (places && list.sound && !list.entries.empty())
    return Match{Confidence::likely, "its entries are those of backup memory", Basis::structure};
  return std::nullopt;
}

Result<Card> PceBramLayout::open(ByteView file) const {
  if (file.size() < kFirstEntry + kEndMark) return tl::unexpected(too_short());
  const Bytes memory = padded(file);
  Card found;
  found.block_size = 1;
  found.blocks_total = kUserBytes;
  found.map.resize(kUserBytes);
  if (file.size() < kMemorySize) found.findings.push_back(cut_short(file.size(), kMemorySize));
  const List list = list_of(memory);
  for (const Place& place : list.entries) {
    const ByteView entry = ByteView(memory).subspan(place.at, place.size);
    CardSave save;
    save.save = make_save(entry);
    save.block_count = static_cast<std::uint32_t>(place.size);
    for (std::size_t i = 0; i < place.size; ++i)
      save.blocks.push_back(static_cast<std::uint32_t>(place.at - kFirstEntry + i));
    if (!entry_holds(entry))
      save.findings.push_back(
          damaged(fmt::format("{}: its check fails: some of its bytes are wrong", save.save.name)));
    if (place.at + place.size > file.size()) save.findings.push_back(runs_out(save.save));
    found.saves.push_back(std::move(save));
  }
  draw_saves(found);
  for (Finding& finding : validate_pce_header(memory)) found.findings.push_back(std::move(finding));
  if (!list.sound) found.findings.push_back(damaged("the list of entries breaks off"));
  return found;
}

Findings PceBramLayout::validate(ByteView file) const {
  return validate_pce(file);
}

Result<Bytes> PceBramLayout::format(std::uint32_t blocks) const {
  if (blocks != kUserBytes) return tl::unexpected(wrong_capacity(card_info_, blocks));
  return assembled(Bytes(kHeaderSize), {});
}

Result<ChangedCard> PceBramLayout::change(ByteView file, const CardChange& change) const {
  if (file.size() < kFirstEntry + kEndMark) return tl::unexpected(too_short());
  const Bytes memory = padded(file);
  return change_saves(*this, PceEditor(), assembled(memory, entries_of(memory)), change);
}

std::string PceBramLayout::identity(const Save& save) const {
  std::string identity = save.name;
  if (save.entry.size() == kEntryHeader)
    for (std::size_t i = 0; i < 2; ++i) identity.push_back(static_cast<char>(save.entry[kId + i]));
  else
    identity.append(2, '\0');
  return identity;
}

// Entries have no table: what the list gives is kept, and behind a break every place is tried for
// an entry that its own check confirms.
Result<Salvage> PceBramLayout::salvage(ByteView file) const {
  if (file.size() < kFirstEntry + kEndMark) return tl::unexpected(too_short());
  Salvage salvage;
  salvage.blocks = kUserBytes;
  salvage.image = padded(file);
  const ByteView memory(salvage.image);
  if (file.size() < kMemorySize) salvage.findings.push_back(cut_short(file.size(), kMemorySize));
  for (Finding& finding : validate_pce_header(memory))
    salvage.findings.push_back(std::move(finding));
  const auto confirmed = [&](std::size_t at) {
    const std::size_t size = entry_size(memory, at);
    return size != 0 && at + size <= file.size() && entry_holds(memory.subspan(at, size));
  };
  // Bytes that no entry accounts for were one whose header is destroyed.
  const auto lose = [&](std::size_t from, std::size_t to) {
    // Less than an entry's header is none.
    if (to < from + kEntryHeader || is_filled(memory.subspan(from, to - from), std::byte{0}))
      return;
    Save unknown;
    unknown.system = System::pce;
    unknown.kind = Kind::card_save;
    unknown.name = fmt::format("(at {})", from);
    salvage.saves.push_back(rescue_of(
        std::move(unknown),
        {fmt::format("{} bytes there belong to no entry: its header is destroyed", to - from)},
        {.lost = true}));
  };
  const auto search = [&](std::size_t from, std::size_t to) {
    bool any = false;
    std::size_t known = from;
    for (std::size_t at = from; at + kEntryHeader <= to;) {
      const std::size_t size = confirmed(at) ? entry_size(memory, at) : 0;
      if (size == 0 || at + size > to ||
          is_filled(memory.subspan(at + kId, size - kId), std::byte{0})) {
        ++at;
        continue;
      }
      lose(known, at);
      salvage.saves.push_back(rescue_of(make_save(memory.subspan(at, size)),
                                        {"the list had broken off; its own check confirms it"},
                                        {}));
      any = true;
      at += size;
      known = at;
    }
    if (any) lose(known, to);
    return any;
  };
  const List list = list_of(memory);
  for (const Place& place : list.entries) {
    const ByteView entry = memory.subspan(place.at, place.size);
    if (confirmed(place.at)) {
      salvage.saves.push_back(rescue_of(make_save(entry), {}, {}));
      continue;
    }
    // Its size may be what is wrong: then whole entries lie inside of it.
    if (search(place.at + 1, place.at + place.size)) continue;
    const bool cut = place.at + place.size > file.size();
    Rescue rescue = rescue_of(make_save(entry),
                              {cut ? "it runs past the end of the file"
                                   : "its own check fails: some of its bytes are wrong"},
                              {.lost = cut});
    if (!cut) rescue.state = RescueState::damaged;
    salvage.saves.push_back(std::move(rescue));
  }
  // What old entries left behind the list is nobody's, as long as the list itself is sound.
  const std::size_t next = Cursor(memory).u16le(kNextAddress);
  const bool tells = next >= kBase + kFirstEntry && next <= kEnd;
  const bool ends_early = !list.sound || !tells || next >= kBase + list.end + kEntryHeader;
  if (ends_early && !search(list.end, kMemorySize))
    lose(list.end, list.sound && tells ? next - kBase : kMemorySize);
  return salvage;
}

}  // namespace bayswap
