#include "core/layouts/n64/n64_pak_validate.h"

#include <fmt/core.h>

#include <set>

#include "core/bytes/cursor.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/n64/n64_pak_format.h"

namespace bayswap {
namespace {

using namespace n64;

bool id_is_right(ByteView pak, std::size_t offset) {
  Cursor cursor(pak);
  unsigned sum = 0;
  for (std::size_t i = 0; i < 28; i += 2) sum += cursor.u16be(offset + i);
  sum &= 0xFFFFU;
  return cursor.u16be(offset + kIdCheck) == sum &&
         cursor.u16be(offset + kIdInverse) == ((0xFFF2U - sum) & 0xFFFFU) &&
         (cursor.u16be(offset + kIdDevice) & 1U) == 1U && cursor.u8(offset + kIdBanks) == 1;
}

bool sum_is_right(ByteView pak, std::size_t table) {
  unsigned sum = 0;
  for (std::size_t i = kIndexChecked; i < kPageSize; ++i) sum += to_u8(pak[table + i]);
  return (sum & 0xFFU) == to_u8(pak[table + kIndexCheck]);
}

// Who holds each page, by the table that a console reads first.
void walk(ByteView pak, std::size_t table, std::size_t slot, std::vector<int>& holders,
          Findings& findings) {
  Cursor cursor(pak);
  std::size_t page = cursor.u16be(kNotes + slot * kNoteSize + kStart);
  for (std::size_t length = 0; length <= kPages; ++length) {
    if (page < kFirstPage || page >= kFirstPage + kPages) break;
    ++holders[page];
    const std::uint16_t next = cursor.u16be(table + page * 2);
    if (next == kLastPage) return;
    page = next;
  }
  findings.push_back(damaged(fmt::format("the chain of note {} is broken", slot + 1)));
}

}  // namespace

Findings validate_pak_system(ByteView pak) {
  Findings findings;
  std::size_t good = 0;
  for (const std::size_t offset : kIdOffsets) good += id_is_right(pak, offset) ? 1 : 0;
  if (good == 0)
    findings.push_back(
        damaged("no copy of the pak's id block is right: a console takes it for unformatted"));
  else if (good < kIdOffsets.size())
    findings.push_back(spare_lost(fmt::format("{} of the 4 copies of the pak's id block {} damaged",
                                              kIdOffsets.size() - good,
                                              kIdOffsets.size() - good == 1 ? "is" : "are")));
  const bool first = sum_is_right(pak, kIndexOffsets[0]);
  const bool second = sum_is_right(pak, kIndexOffsets[1]);
  bool same = true;
  for (std::size_t i = 0; i < kPageSize; ++i)
    same = same && pak[kIndexOffsets[0] + i] == pak[kIndexOffsets[1] + i];
  if (!first && !second)
    findings.push_back(damaged("the checks of both index tables fail"));
  else if (!first)
    findings.push_back(spare_lost("the check of the index table fails; its copy holds"));
  else if (!second)
    findings.push_back(spare_lost("the check of the copy of the index table fails"));
  else if (!same)
    findings.push_back(spare_lost("the two copies of the index table differ"));
  return findings;
}

Findings validate_pak(ByteView pak) {
  if (pak.size() < kPakSize) return {cut_short(pak.size(), kPakSize)};
  Findings findings = validate_pak_system(pak.first(kPakSize));
  if (pak.size() > kPakSize)
    findings.push_back(damaged(fmt::format("{} bytes come after the pak", pak.size() - kPakSize)));
  const std::size_t table = kIndexOffsets.at(current_index(pak.first(kPakSize)));
  Cursor cursor(pak);
  std::vector<int> holders(kFirstPage + kPages);
  std::set<std::string> names;
  for (std::size_t slot = 0; slot < kNoteCount; ++slot) {
    const ByteView note = pak.subspan(kNotes + slot * kNoteSize, kNoteSize);
    if (cursor.u32be(kNotes + slot * kNoteSize) == 0 ||
        cursor.u16be(kNotes + slot * kNoteSize + kMaker) == 0)
      continue;
    walk(pak, table, slot, holders, findings);
    if (!names.insert(note_identity(note)).second)
      findings.push_back(damaged(fmt::format("note {} has another one's name", slot + 1)));
  }
  std::uint64_t strays = 0;
  for (std::size_t page = kFirstPage; page < holders.size(); ++page) {
    if (holders[page] > 1)
      findings.push_back(damaged(fmt::format("page {} belongs to several notes", page)));
    if (holders[page] == 0 && cursor.u16be(table + page * 2) != kFreePage) ++strays;
  }
  if (strays > 0) findings.push_back(stray_blocks(strays));
  return findings;
}

}  // namespace bayswap
