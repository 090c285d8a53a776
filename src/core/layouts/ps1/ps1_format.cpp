#include "core/layouts/ps1/ps1_format.h"

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/model/sony_names.h"

namespace bayswap::ps1 {

std::uint8_t frame_check(ByteView frame) {
  std::uint8_t check = 0;
  for (const std::byte byte : frame.first(kFrameCheck))
    check = static_cast<std::uint8_t>(check ^ to_u8(byte));
  return check;
}

bool frame_holds(ByteView frame) {
  return frame_check(frame) == to_u8(frame[kFrameCheck]);
}

void seal_frame(std::span<std::byte> frame) {
  frame[kFrameCheck] = std::byte{frame_check(frame)};
}

DirectoryFrame parse_frame(ByteView frame) {
  Cursor cursor(frame);
  DirectoryFrame parsed;
  parsed.state = cursor.u32le(kState);
  parsed.size = cursor.u32le(kSize);
  parsed.next = cursor.u16le(kNext);
  parsed.name = name_text(cursor.bytes(kName, kNameLength));
  parsed.holds = frame_holds(frame);
  return parsed;
}

ByteView frame_of(ByteView card, std::uint32_t block) {
  return card.subspan((kDirectoryFrame + block) * kFrameSize, kFrameSize);
}

std::vector<std::pair<std::size_t, std::size_t>> replaced_frames(ByteView card) {
  std::vector<std::pair<std::size_t, std::size_t>> replaced;
  for (std::size_t i = 0; i < kBrokenCount; ++i) {
    const ByteView entry = card.subspan((kBrokenList + i) * kFrameSize, kFrameSize);
    const std::size_t frame = Cursor(entry).u32le(0);
    if (!frame_holds(entry) || frame < kBlockSize / kFrameSize || frame >= kCardSize / kFrameSize)
      continue;
    replaced.emplace_back(frame * kFrameSize, (kReplacements + i) * kFrameSize);
  }
  return replaced;
}

Bytes data_of(ByteView card, const std::vector<std::uint32_t>& blocks) {
  const auto replaced = replaced_frames(card);
  Bytes data;
  data.reserve(blocks.size() * kBlockSize);
  for (const std::uint32_t block : blocks) {
    const std::size_t start = (block + 1) * kBlockSize;
    const std::size_t begins = data.size();
    const ByteView bytes = card.subspan(start, kBlockSize);
    data.insert(data.end(), bytes.begin(), bytes.end());
    for (const auto& [broken, replacement] : replaced)
      if (broken >= start && broken < start + kBlockSize)
        std::ranges::copy(card.subspan(replacement, kFrameSize),
                          data.begin() + static_cast<std::ptrdiff_t>(begins + broken - start));
  }
  return data;
}

bool is_save_start(ByteView data) {
  Cursor cursor(data);
  const std::uint8_t kind = cursor.u8(kIconKind);
  return cursor.u8(0) == 'S' && cursor.u8(1) == 'C' && kind >= 0x11 && kind <= 0x13 &&
         own_block_count(data) >= 1 && own_block_count(data) <= kBlocks;
}

std::uint32_t own_block_count(ByteView data) {
  return Cursor(data).u8(kBlockCount);
}

Save make_save(ByteView frame, Bytes data) {
  Save save;
  save.system = System::ps1;
  save.kind = Kind::card_save;
  save.name = parse_frame(frame).name;
  save.entry.assign(frame.begin(), frame.end());
  add_sony_game(save.name, save.game);
  if (is_save_start(data)) save.comment = shift_jis_text(Cursor(data).bytes(kTitle, kTitleLength));
  const bool blank = is_erased(data);
  save.parts.push_back({std::string(kDataPart), std::move(data), blank, {}});
  return save;
}

std::size_t name_end(ByteView frame) {
  std::size_t end = kName;
  while (end < kName + kNameLength && frame[end] != std::byte{0}) ++end;
  return end;
}

void clear_behind_name(std::span<std::byte> frame) {
  const std::size_t end = name_end(frame);
  if (is_filled(frame.subspan(end, kFrameSize - 1 - end), std::byte{0})) return;
  std::ranges::fill(frame.subspan(end, kFrameSize - 1 - end), std::byte{0});
  seal_frame(frame);
}

Bytes frame_for(const Save& save) {
  Bytes frame(kFrameSize);
  const std::span<std::byte> all(frame);
  if (save.entry.size() == kFrameSize) std::ranges::copy(save.entry, frame.begin());
  if (save.entry.size() != kFrameSize || parse_frame(frame).name != save.name) {
    std::ranges::fill(all.subspan(kName, kNameLength + 1), std::byte{0});
    std::ranges::copy(as_bytes(save.name).first(std::min(save.name.size(), kNameLength)),
                      frame.begin() + kName);
  }
  const std::size_t size = save.parts.empty() ? 0 : save.parts.front().data.size();
  store_le(all.subspan(kState, 4), kFirst);
  store_le(all.subspan(kSize, 4), size);
  store_le(all.subspan(kNext, 2), kNoNext);
  seal_frame(frame);
  return frame;
}

}  // namespace bayswap::ps1
