#include "core/layouts/dc/dc_format.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/checksums.h"
#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap::dc {

Entry parse_entry(ByteView entry) {
  Cursor cursor(entry);
  Entry parsed;
  parsed.type = cursor.u8(kType);
  parsed.first = cursor.u16le(kFirst);
  parsed.name = name_text(cursor.bytes(kName, kNameLength));
  while (parsed.name.ends_with(' ')) parsed.name.pop_back();
  parsed.blocks = cursor.u16le(kBlockCount);
  parsed.header = cursor.u16le(kHeaderBlock);
  return parsed;
}

std::size_t entry_offset(std::size_t slot) {
  return (kFirstDirectory - slot / kEntriesPerBlock) * kBlockSize +
         slot % kEntriesPerBlock * kEntrySize;
}

ByteView entry_at(ByteView card, std::size_t slot) {
  return card.subspan(entry_offset(slot), kEntrySize);
}

std::uint16_t link_of(ByteView card, std::uint32_t block) {
  return Cursor(card).u16le(kTableBlock * kBlockSize + std::uint64_t{block} * 2);
}

Chain chain_of(ByteView card, std::uint32_t first) {
  return follow_chain(first, kMostBlocks, [&](std::uint32_t block) -> Link {
    const std::uint16_t next = link_of(card, block);
    if (next == kEnd) return {Link::Kind::end, 0, {}};
    if (next == kFree)
      return {Link::Kind::broken, 0,
              fmt::format("its chain leads to block {}, which is free", block)};
    return {Link::Kind::next, next, {}};
  });
}

std::uint32_t user_blocks(ByteView card) {
  const std::uint32_t count = Cursor(card).u16le(kRootBlock * kBlockSize + kUserCount);
  return has_mark(card) && count >= kUserBlocks && count <= kMostBlocks ? count : kUserBlocks;
}

bool has_mark(ByteView card) {
  const auto mark = slice(card, kRootBlock * kBlockSize + kMark, kMarkLength);
  return mark && is_filled(*mark, kMarkByte);
}

Bytes data_of(ByteView card, const std::vector<std::uint32_t>& blocks) {
  Bytes data;
  for (const std::uint32_t block : blocks) {
    const ByteView bytes = card.subspan(std::size_t{block} * kBlockSize, kBlockSize);
    data.insert(data.end(), bytes.begin(), bytes.end());
  }
  return data;
}

std::size_t eyecatch_size(unsigned kind) {
  constexpr std::array<std::size_t, 4> kSizes{0, 8064, 4544, 2048};
  return kind < kSizes.size() ? kSizes.at(kind) : 0;
}

std::optional<Header> parse_header(ByteView data, std::size_t start) {
  if (start >= data.size()) return std::nullopt;
  const ByteView all = data.subspan(start);
  Cursor cursor(all);
  Header header;
  header.start = start;
  header.icons = cursor.u16le(kIcons);
  header.eyecatch = cursor.u16le(kEyecatch);
  const std::uint64_t size = cursor.u32le(kDataSize);
  const std::uint64_t covered = kPictures + std::uint64_t{header.icons} * kPictureSize +
                                eyecatch_size(header.eyecatch) + size;
  if (cursor.overrun() || header.icons > kMostIcons || header.eyecatch > 3 ||
      covered > all.size() || (header.icons == 0 && size == 0))
    return std::nullopt;
  header.checked = static_cast<std::size_t>(covered);
  std::uint16_t crc = crc16_ccitt(all.first(kCheck), 0);
  constexpr std::array<std::byte, 2> kNoCheck{};
  crc = crc16_ccitt(kNoCheck, crc);
  crc = crc16_ccitt(all.first(header.checked).subspan(kCheck + 2), crc);
  header.check_holds = crc == cursor.u16le(kCheck);
  return header;
}

std::optional<Time> bcd_time(ByteView stored) {
  std::array<int, 7> parts{};  // century, year, month, day, hour, minute, second
  for (std::size_t i = 0; i < parts.size(); ++i) {
    const unsigned value = to_u8(stored[i]);
    if ((value & 15U) > 9 || value >> 4U > 9) return std::nullopt;
    parts.at(i) = static_cast<int>((value >> 4U) * 10 + (value & 15U));
  }
  const std::chrono::year_month_day date{std::chrono::year{parts[0] * 100 + parts[1]},
                                         std::chrono::month{static_cast<unsigned>(parts[2])},
                                         std::chrono::day{static_cast<unsigned>(parts[3])}};
  if (!date.ok() || parts[4] > 23 || parts[5] > 59 || parts[6] > 59) return std::nullopt;
  return Time{std::chrono::sys_days{date}} + std::chrono::hours{parts[4]} +
         std::chrono::minutes{parts[5]} + std::chrono::seconds{parts[6]};
}

Bytes bcd_bytes(const Time& time) {
  const auto midnight = std::chrono::floor<std::chrono::days>(time);
  const std::chrono::year_month_day date{midnight};
  const std::chrono::hh_mm_ss clock{time - midnight};
  const int year = std::clamp(static_cast<int>(date.year()), 0, 9999);
  Bytes bytes;
  const auto put = [&](long number) {
    const auto value = static_cast<unsigned>(number);
    bytes.push_back(static_cast<std::byte>(value / 10 % 10 << 4U | value % 10));
  };
  put(year / 100);
  put(year % 100);
  put(static_cast<long>(static_cast<unsigned>(date.month())));
  put(static_cast<long>(static_cast<unsigned>(date.day())));
  put(clock.hours().count());
  put(clock.minutes().count());
  put(clock.seconds().count());
  put(static_cast<long>(std::chrono::weekday{midnight}.iso_encoding()) - 1);  // 0 is Monday
  return bytes;
}

Save make_save(ByteView entry, Bytes data) {
  const Entry parsed = parse_entry(entry);
  Save save;
  save.system = System::dc;
  save.kind = Kind::card_save;
  save.name = parsed.name;
  save.entry.assign(entry.begin(), entry.end());
  save.modified = bcd_time(entry.subspan(kTime, 8));
  const std::size_t start = std::size_t{parsed.header} * kBlockSize;
  const auto text = [&](std::size_t offset, std::size_t length) {
    const auto stored = slice(data, start + offset, length);
    return stored ? shift_jis_text(*stored) : std::string();
  };
  if (parsed.name == kIconFile) {
    save.comment = text(kShortText, kShortLength);
  } else if (parse_header(data, start)) {
    save.comment = text(kLongText, kLongLength);
    const std::string brief = text(kShortText, kShortLength);
    if (!brief.empty() && brief != save.comment)
      save.comment = save.comment.empty() ? brief : brief + "\n" + save.comment;
  }
  const bool blank = is_erased(data);
  save.parts.push_back({std::string(kDataPart), std::move(data), blank, {}});
  return save;
}

Bytes entry_for(const Save& save) {
  Bytes entry(kEntrySize);
  const std::span<std::byte> all(entry);
  const ByteView data = save.parts.empty() ? ByteView{} : ByteView(save.parts.front().data);
  if (save.entry.size() == kEntrySize) {
    std::ranges::copy(save.entry, entry.begin());
  } else {
    // A game has its header in its second block, and only there.
    const bool game =
        !parse_header(data, 0) && parse_header(data, kBlockSize) && save.name != kIconFile;
    entry[kType] = std::byte{game ? kGameType : kDataType};
    store_le(all.subspan(kHeaderBlock, 2), game ? 1 : 0);
    if (save.modified) std::ranges::copy(bcd_bytes(*save.modified), all.subspan(kTime).begin());
  }
  if (parse_entry(entry).name != save.name) {
    std::ranges::fill(all.subspan(kName, kNameLength), std::byte{0});
    std::ranges::copy(as_bytes(save.name).first(std::min(save.name.size(), kNameLength)),
                      all.subspan(kName).begin());
  }
  store_le(all.subspan(kBlockCount, 2), data.size() / kBlockSize);
  return entry;
}

bool lacks_header(const Save& save) {
  const Entry entry = parse_entry(save.entry);
  return !entry.game() && entry.name != kIconFile && !save.parts.empty() &&
         !parse_header(save.parts.front().data, std::size_t{entry.header} * kBlockSize);
}

std::string failed_check(const Save& save) {
  const Entry entry = parse_entry(save.entry);
  if (entry.game() || entry.name == kIconFile || save.parts.empty()) return {};
  const auto header = parse_header(save.parts.front().data, std::size_t{entry.header} * kBlockSize);
  if (!header || header->check_holds) return {};
  return "its own check fails: some of its bytes are wrong";
}

}  // namespace bayswap::dc
