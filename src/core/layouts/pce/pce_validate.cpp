#include "core/layouts/pce/pce_validate.h"

#include <fmt/core.h>

#include <set>

#include "core/bytes/cursor.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/pce/pce_format.h"

namespace bayswap {
namespace {

using namespace pce;

// Where the list of entries ends, by their sizes alone.
std::size_t end_of_list(ByteView memory) {
  Cursor cursor(memory);
  std::size_t at = kFirstEntry;
  while (at + kEndMark <= kMemorySize) {
    const std::size_t size = cursor.u16le(at);
    if (size == 0) return at;
    if (size < kEntryHeader) return 0;
    at += size;
  }
  return 0;
}

}  // namespace

Findings validate_pce_header(ByteView memory) {
  Findings findings;
  Cursor cursor(memory);
  if (cursor.u8(0) != 'H' || cursor.u8(1) != 'U' || cursor.u8(2) != 'B' || cursor.u8(3) != 'M')
    findings.push_back(
        damaged("the memory's first bytes are damaged: a console takes it for unformatted"));
  if (cursor.u16le(kEndAddress) != kEnd)
    findings.push_back(damaged("the address of the memory's end is wrong"));
  const std::size_t end = end_of_list(memory);
  if (end == 0)
    findings.push_back(damaged("the list of entries has no end"));
  else if (cursor.u16le(kNextAddress) != kBase + end)
    findings.push_back(damaged("the address of the next free byte does not fit the entries"));
  return findings;
}

Findings validate_pce(ByteView memory) {
  if (memory.size() < kMemorySize) return {cut_short(memory.size(), kMemorySize)};
  Findings findings = validate_pce_header(memory);
  if (memory.size() > kMemorySize)
    findings.push_back(
        damaged(fmt::format("{} bytes come after the memory", memory.size() - kMemorySize)));
  Cursor cursor(memory);
  std::set<std::string> names;
  const std::size_t end = end_of_list(memory);
  for (std::size_t at = kFirstEntry; at < end; at += cursor.u16le(at)) {
    std::string name;
    bool blank = true;
    for (std::size_t i = kId; i < kEntryHeader; ++i) {
      name.push_back(static_cast<char>(cursor.u8(at + i)));
      if (i >= kName) blank = blank && (cursor.u8(at + i) == 0 || cursor.u8(at + i) == ' ');
    }
    if (blank) findings.push_back(damaged("an entry has no name"));
    if (!names.insert(name).second) findings.push_back(damaged("two entries have one name"));
  }
  return findings;
}

}  // namespace bayswap
