#include "core/layouts/n64/n64_pak_format.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/n64/n64_text.h"

namespace bayswap::n64 {

bool id_holds(ByteView block) {
  Cursor cursor(block);
  std::uint16_t sum = 0;
  for (std::size_t i = 0; i < kIdWords; ++i)
    sum = static_cast<std::uint16_t>(sum + cursor.u16be(i * 2));
  const auto inverse = static_cast<std::uint16_t>(0xFFF2U - sum);
  return cursor.u16be(kIdCheck) == sum && cursor.u16be(kIdInverse) == inverse &&
         (cursor.u16be(kIdDevice) & 1U) != 0 && cursor.u8(kIdBanks) == 1;
}

bool pak_has_id(ByteView pak) {
  if (pak.size() != kPakSize) return false;
  return std::any_of(kIdOffsets.begin(), kIdOffsets.end(),
                     [&](std::size_t offset) { return id_holds(pak.subspan(offset, kIdSize)); });
}

std::size_t pak_notes(ByteView pak) {
  std::size_t used = 0;
  for (std::size_t slot = 0; slot < kNoteCount; ++slot)
    if (note_in_use(note_at(pak, slot))) ++used;
  return used;
}

bool pak_is_empty(ByteView pak) {
  return pak_has_id(pak) && pak_notes(pak) == 0;
}

std::uint8_t index_check(ByteView index) {
  unsigned sum = 0;
  for (const std::byte byte : index.subspan(kIndexChecked, kPageSize - kIndexChecked))
    sum += to_u8(byte);
  return static_cast<std::uint8_t>(sum);
}

bool index_holds(ByteView index) {
  return to_u8(index[kIndexCheck]) == index_check(index) && !is_erased(index);
}

ByteView index_of(ByteView pak, std::size_t copy) {
  return pak.subspan(kIndexOffsets.at(copy), kPageSize);
}

std::uint16_t index_entry(ByteView index, std::uint32_t page) {
  return Cursor(index).u16be((std::uint64_t{page} + kFirstPage) * 2);
}

Chain chain_in(ByteView index, std::uint32_t first) {
  return follow_chain(first, kPages, [&](std::uint32_t page) -> Link {
    const std::uint16_t next = index_entry(index, page);
    if (next == kLastPage) return {Link::Kind::end, 0, {}};
    if (next == kFreePage)
      return {Link::Kind::broken, 0,
              fmt::format("its chain leads to page {}, which is free", page + kFirstPage)};
    if (next < kFirstPage)
      return {Link::Kind::broken, 0, fmt::format("its chain breaks at page {}", page + kFirstPage)};
    return {Link::Kind::next, next - kFirstPage, {}};
  });
}

std::size_t current_index(ByteView pak) {
  // Chains are judged too: damage can leave the sum as it was.
  std::array<int, 2> worth{};
  for (std::size_t copy = 0; copy < worth.size(); ++copy) {
    const ByteView index = index_of(pak, copy);
    worth[copy] = index_holds(index) ? 100 : 0;
    for (std::size_t slot = 0; slot < kNoteCount; ++slot)
      if (const ByteView note = note_at(pak, slot); note_in_use(note))
        worth[copy] += chain_in(index, note_start(note)).broken.empty() ? 1 : 0;
  }
  return worth[1] > worth[0] ? 1 : 0;
}

ByteView note_at(ByteView pak, std::size_t slot) {
  return pak.subspan(kNotes + slot * kNoteSize, kNoteSize);
}

bool note_in_use(ByteView note) {
  return !is_filled(note.subspan(kCode, 4), kErasedZero) &&
         !is_filled(note.subspan(kMaker, 2), kErasedZero);
}

std::uint32_t note_start(ByteView note) {
  const std::uint16_t page = Cursor(note).u16be(kStart);
  return page < kFirstPage ? 0xFFFFU : page - kFirstPage;
}

std::string note_name(ByteView note) {
  std::string name = n64_text(note.subspan(kName, kNameLength));
  const std::string extension = n64_text(note.subspan(kExtension, kExtensionLength));
  if (!extension.empty()) name += "." + extension;
  return name;
}

bool is_plausible_note(ByteView note) {
  const ByteView key = note.first(kMaker + 2);
  return note_in_use(note) &&
         std::ranges::all_of(key,
                             [](std::byte byte) {
                               const auto letter = static_cast<char>(byte);
                               return (letter >= 'A' && letter <= 'Z') ||
                                      (letter >= '0' && letter <= '9');
                             }) &&
         is_n64_text(note.subspan(kName, kNameLength)) &&
         is_n64_text(note.subspan(kExtension, kExtensionLength)) && note[kName] != std::byte{0};
}

std::string note_identity(ByteView note) {
  std::string identity;
  const auto add = [&](std::size_t offset, std::size_t size, bool text) {
    for (const std::byte byte : note.subspan(offset, size)) {
      if (text && byte == std::byte{0}) break;
      identity.push_back(static_cast<char>(byte));
    }
    identity.push_back('/');
  };
  add(kCode, 4, false);
  add(kMaker, 2, false);
  add(kExtension, kExtensionLength, true);
  add(kName, kNameLength, true);
  return identity;
}

Bytes data_of(ByteView pak, const std::vector<std::uint32_t>& pages) {
  Bytes data;
  for (const std::uint32_t page : pages) {
    const ByteView bytes = pak.subspan((std::size_t{page} + kFirstPage) * kPageSize, kPageSize);
    data.insert(data.end(), bytes.begin(), bytes.end());
  }
  return data;
}

Save make_save(ByteView note, Bytes data) {
  Save save;
  save.system = System::n64;
  save.kind = Kind::card_save;
  save.name = note_name(note);
  save.entry.assign(note.begin(), note.end());
  if (is_printable(note.subspan(kCode, 4))) {
    save.game.code = ascii_text(note.subspan(kCode, 4));
    save.game.region = region_of_letter(static_cast<char>(note[kCode + 3]));
  }
  if (is_printable(note.subspan(kMaker, 2))) save.game.maker = ascii_text(note.subspan(kMaker, 2));
  const bool blank = is_erased(data);
  save.parts.push_back({std::string(kDataPart), std::move(data), blank, {}});
  return save;
}

std::optional<Bytes> note_for(const Save& save) {
  Bytes note(kNoteSize);
  const std::span<std::byte> all(note);
  const bool known = save.entry.size() == kNoteSize;
  if (known) std::ranges::copy(save.entry, note.begin());
  if (!known) note[kStatus] = kWritten;
  if (!known || note_name(note) != save.name) {
    const std::size_t dot = save.name.find('.');
    // A dot is a letter of the code too: what is too long to be an extension belongs to the name.
    std::optional<Bytes> extension;
    if (dot != std::string::npos)
      extension = n64_bytes(std::string_view(save.name).substr(dot + 1), kExtensionLength);
    auto name = n64_bytes(
        extension ? std::string_view(save.name).substr(0, dot) : std::string_view(save.name),
        kNameLength);
    if (!name || name->front() == std::byte{0}) return std::nullopt;
    std::ranges::copy(*name, all.subspan(kName).begin());
    std::ranges::copy(extension.value_or(Bytes(kExtensionLength)), all.subspan(kExtension).begin());
  }
  const auto put = [&](std::size_t offset, std::size_t size, const std::string& text) {
    if (text.size() == size) std::ranges::copy(as_bytes(text), all.subspan(offset).begin());
  };
  put(kCode, 4, save.game.code);
  put(kMaker, 2, save.game.maker);
  return note;
}

}  // namespace bayswap::n64
