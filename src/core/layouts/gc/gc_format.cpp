#include "core/layouts/gc/gc_format.h"

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap::gc {
namespace {

using namespace std::chrono;

constexpr sys_days kEpoch = 2000y / January / 1;

std::optional<std::uint32_t> newer_of(ByteView card, std::uint32_t first, std::size_t counter,
                                      bool (*holds)(ByteView)) {
  std::optional<std::uint32_t> best;
  std::int16_t best_count = 0;
  for (std::uint32_t copy = 0; copy < 2; ++copy) {
    const ByteView block = block_of(card, first + copy);
    if (!holds(block)) continue;
    const auto count = static_cast<std::int16_t>(Cursor(block).u16be(counter));
    if (best && count <= best_count) continue;
    best = copy;
    best_count = count;
  }
  return best;
}

bool check_fits(ByteView block, std::size_t check, ByteView covered) {
  Cursor cursor(block);
  return checks_of(covered) == Checks{cursor.u16be(check), cursor.u16be(check + 2)};
}

std::string comment_of(ByteView data, std::uint32_t offset, bool shift_jis) {
  const auto lines = slice(data, offset, 2 * kCommentLine);
  if (!lines) return {};
  std::string comment;
  for (const std::size_t start : {std::size_t{0}, kCommentLine}) {
    const ByteView line = lines->subspan(start, kCommentLine);
    const std::string text = shift_jis ? shift_jis_text(line) : latin_text(line);
    if (!comment.empty() && !text.empty()) comment += "\n";
    comment += text;
  }
  return comment;
}

void store_text(std::span<std::byte> field, std::string_view text) {
  std::ranges::fill(field, std::byte{0});
  std::ranges::copy(as_bytes(text).first(std::min(text.size(), field.size())), field.begin());
}

}  // namespace

Checks checks_of(ByteView bytes) {
  Checks checks;
  for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) {
    const auto word = static_cast<std::uint16_t>(to_u8(bytes[i]) << 8U | to_u8(bytes[i + 1]));
    checks.sum = static_cast<std::uint16_t>(checks.sum + word);
    checks.inverse = static_cast<std::uint16_t>(checks.inverse + (word ^ 0xFFFFU));
  }
  if (checks.sum == 0xFFFF) checks.sum = 0;
  if (checks.inverse == 0xFFFF) checks.inverse = 0;
  return checks;
}

Entry parse_entry(ByteView entry) {
  Cursor cursor(entry);
  Entry parsed;
  parsed.code = ascii_text(cursor.bytes(kCode, 4));
  parsed.maker = ascii_text(cursor.bytes(kMaker, 2));
  parsed.name = latin_text(cursor.bytes(kName, kNameLength));
  parsed.modified = cursor.u32be(kModified);
  parsed.first = cursor.u16be(kFirstBlock);
  parsed.blocks = cursor.u16be(kBlockCount);
  parsed.comment = cursor.u32be(kCommentOffset);
  return parsed;
}

bool is_entry(ByteView entry) {
  return entry.size() >= kEntrySize && is_printable(entry.subspan(kCode, 4)) &&
         is_printable(entry.subspan(kMaker, 2)) && entry[kName] != std::byte{0} &&
         entry[kName] != kErasedOnes;
}

ByteView block_of(ByteView card, std::uint32_t block) {
  return card.subspan(block * kBlockSize, kBlockSize);
}

bool header_holds(ByteView header) {
  return check_fits(header, kHeaderCheck, header.first(kHeaderCheck));
}
bool directory_holds(ByteView directory) {
  return check_fits(directory, kDirectoryCheck, directory.first(kDirectoryCheck));
}
bool map_holds(ByteView map) {
  return check_fits(map, kMapCheck, map.subspan(kMapChecked));
}

std::optional<std::uint32_t> current_directory(ByteView card) {
  return newer_of(card, 1, kDirectoryCounter, directory_holds);
}
std::optional<std::uint32_t> current_map(ByteView card) {
  return newer_of(card, 3, kMapCounter, map_holds);
}

std::uint32_t capacity_of(ByteView file) {
  const auto known = [](std::uint64_t blocks) {
    return std::find(kCapacities.begin(), kCapacities.end(), blocks) != kCapacities.end();
  };
  if (file.size() >= kBlockSize && header_holds(block_of(file, 0))) {
    const std::uint64_t blocks = Cursor(file).u16be(kMbit) * kBlocksPerMbit;
    if (blocks > kSystemBlocks && known(blocks - kSystemBlocks))
      return static_cast<std::uint32_t>(blocks - kSystemBlocks);
  }
  const std::uint64_t blocks = (file.size() + kBlockSize - 1) / kBlockSize;
  for (const std::uint32_t capacity : kCapacities)
    if (capacity + kSystemBlocks >= blocks) return capacity;
  return 0;
}

std::uint16_t map_entry(ByteView map, std::uint32_t block) {
  return Cursor(map).u16be(kMapEntries + std::uint64_t{block} * 2);
}

Save make_save(ByteView entry, Bytes data, bool shift_jis) {
  const Entry parsed = parse_entry(entry);
  Save save;
  save.system = System::gc;
  save.kind = Kind::card_save;
  save.name = parsed.name;
  save.entry.assign(entry.begin(), entry.end());
  save.game.code = parsed.code;
  save.game.maker = parsed.maker;
  if (parsed.code.size() == 4) save.game.region = region_of_letter(parsed.code[3]);
  save.modified = kEpoch + seconds{parsed.modified};
  save.comment = comment_of(data, parsed.comment, shift_jis);
  const bool blank = is_erased(data);
  save.parts.push_back({std::string(kDataPart), std::move(data), blank, {}});
  return save;
}

Bytes entry_for(const Save& save) {
  Bytes entry(kEntrySize, std::byte{0});
  const std::span<std::byte> all(entry);
  if (save.entry.size() == kEntrySize) {
    std::ranges::copy(save.entry, entry.begin());
  } else {
    entry[6] = kErasedOnes;
    store_be(all.subspan(kRights, 1), 4);
    store_be(all.subspan(kPictureOffset, 4), 0xFFFFFFFFU);
    store_be(all.subspan(0x3A, 2), 0xFFFF);
    store_be(all.subspan(kCommentOffset, 4), 0xFFFFFFFFU);
    if (save.modified)
      store_be(all.subspan(kModified, 4), static_cast<std::uint64_t>(std::max<std::int64_t>(
                                              0, (*save.modified - sys_seconds{kEpoch}).count())));
  }
  const Entry there = parse_entry(entry);
  if (there.code != save.game.code) store_text(all.subspan(kCode, 4), save.game.code);
  if (there.maker != save.game.maker) store_text(all.subspan(kMaker, 2), save.game.maker);
  if (there.name != save.name) store_text(all.subspan(kName, kNameLength), save.name);
  const std::size_t size = save.parts.empty() ? 0 : save.parts.front().data.size();
  store_be(all.subspan(kBlockCount, 2), size / kBlockSize);
  return entry;
}

std::string identity_of(const Save& save) {
  return save.game.code + save.game.maker + "/" + save.name;
}

}  // namespace bayswap::gc
