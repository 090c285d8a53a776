#include "core/layouts/pce/pce_format.h"

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap::pce {

bool entry_holds(ByteView entry) {
  Cursor cursor(entry);
  if (entry.size() < kEntryHeader || cursor.u16le(kSize) != entry.size()) return false;
  unsigned bytes = cursor.u16le(kCheck);
  for (const std::byte byte : entry.subspan(kId)) bytes += to_u8(byte);
  if ((bytes & 0xFFFFU) == 0) return true;
  unsigned words = cursor.u16le(kCheck);
  for (std::size_t at = kId; at < entry.size(); at += 2)
    words += at + 1 < entry.size() ? cursor.u16le(at) : cursor.u8(at);
  return (words & 0xFFFFU) == 0;
}

std::size_t entry_size(ByteView memory, std::size_t at) {
  const std::size_t size = Cursor(memory).u16le(at);
  if (size < kEntryHeader || at + size + kEndMark > memory.size()) return 0;
  return size;
}

List list_of(ByteView memory) {
  List list;
  while (const std::size_t size = entry_size(memory, list.end)) {
    list.entries.push_back({list.end, size});
    list.end += size;
  }
  Cursor cursor(memory);
  list.sound = cursor.u16le(list.end) == 0 && !cursor.overrun();
  return list;
}

Save make_save(ByteView entry) {
  Save save;
  save.system = System::pce;
  save.kind = Kind::card_save;
  save.name = shift_jis_text(entry.subspan(kName, kNameLength));
  save.entry.assign(entry.begin(), entry.begin() + kEntryHeader);
  const ByteView data = entry.subspan(kEntryHeader);
  save.parts.push_back(
      {std::string(kDataPart), Bytes(data.begin(), data.end()), is_erased(data), {}});
  return save;
}

Bytes entry_for(const Save& save) {
  Bytes entry(kEntryHeader);
  const std::span<std::byte> header(entry);
  if (save.entry.size() == kEntryHeader) std::ranges::copy(save.entry, entry.begin());
  const Bytes& data = save.parts.front().data;
  bool changed = Cursor(entry).u16le(kSize) != kEntryHeader + data.size();
  if (save.entry.size() != kEntryHeader ||
      shift_jis_text(header.subspan(kName, kNameLength)) != save.name) {
    changed = true;
    std::ranges::fill(header.subspan(kName, kNameLength), std::byte{' '});
    // A name that does not fit is left out, and the entry without one is then refused.
    if (const auto name = shift_jis_bytes(save.name); name && name->size() <= kNameLength)
      std::ranges::copy(*name, header.subspan(kName).begin());
  }
  entry.insert(entry.end(), data.begin(), data.end());
  const std::span<std::byte> all(entry);
  store_le(all.subspan(kSize, 2), entry.size());
  // One that came damaged must not look sound again.
  if (!changed || entry_holds(entry)) return entry;
  unsigned sum = 0;
  for (const std::byte byte : ByteView(entry).subspan(kId)) sum += to_u8(byte);
  store_le(all.subspan(kCheck, 2), 0x10000U - (sum & 0xFFFFU));
  return entry;
}

}  // namespace bayswap::pce
