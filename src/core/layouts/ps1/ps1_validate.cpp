#include "core/layouts/ps1/ps1_validate.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/ps1/ps1_format.h"

namespace bayswap {
namespace {

using namespace ps1;

bool checked(ByteView card, std::size_t frame) {
  std::uint8_t sum = 0;
  for (const std::byte byte : card.subspan(frame * kFrameSize, kFrameSize))
    sum = static_cast<std::uint8_t>(sum ^ to_u8(byte));
  return sum == 0;
}

// Walks one save and counts who holds each block.
void walk_save(ByteView card, std::uint32_t first, std::vector<int>& holders, Findings& findings) {
  Cursor cursor(card);
  const auto at = [&](std::uint32_t block, std::size_t field) {
    return (kDirectoryFrame + block) * kFrameSize + field;
  };
  std::uint32_t block = first;
  std::uint32_t length = 0;
  while (true) {
    ++holders[block];
    if (++length > kBlocks) {
      findings.push_back(damaged(fmt::format("the save in block {} runs in a loop", first + 1)));
      return;
    }
    const std::uint32_t next = cursor.u16le(at(block, kNext));
    const std::uint32_t state = cursor.u32le(at(block, kState));
    if (next == kNoNext) {
      if (block != first && state != kLast)
        findings.push_back(
            damaged(fmt::format("the save in block {} has no last block", first + 1)));
      break;
    }
    const std::uint32_t next_state = next < kBlocks ? cursor.u32le(at(next, kState)) : 0;
    if (state == kLast || (next_state != kMiddle && next_state != kLast)) {
      findings.push_back(
          damaged(fmt::format("the chain of the save in block {} is broken", first + 1)));
      return;
    }
    block = next;
  }
  if (cursor.u32le(at(first, kSize)) != length * kBlockSize)
    findings.push_back(damaged(fmt::format("the save in block {} has another length", first + 1)));
}

}  // namespace

Findings validate_ps1_header(ByteView card) {
  Findings findings;
  if (card.size() < kBlockSize) return {cut_short(card.size(), kCardSize)};
  if (to_u8(card[0]) != 'M' || to_u8(card[1]) != 'C' || !checked(card, 0))
    findings.push_back(
        damaged("the card's first frame is damaged: a console takes it for unformatted"));
  for (std::size_t i = 0; i < kBrokenCount; ++i) {
    const std::size_t frame = kBrokenList + i;
    const std::uint32_t named = Cursor(card).u32le(frame * kFrameSize);
    const bool names_one = named != 0xFFFFFFFFU;
    if (checked(card, frame)) {
      if (names_one && (named < kBlockSize / kFrameSize || named >= kCardSize / kFrameSize))
        findings.push_back(spare_lost(
            fmt::format("entry {} in the list of broken frames names no save's frame", i + 1)));
      continue;
    }
    const std::string text =
        fmt::format("the check of entry {} in the list of broken frames fails", i + 1);
    findings.push_back(names_one ? damaged(text) : spare_lost(text));
  }
  if (!std::equal(card.begin(), card.begin() + kFrameSize,
                  card.begin() + kLastHeaderFrame * kFrameSize))
    findings.push_back(spare_lost("frame 63 does not repeat the first frame"));
  return findings;
}

Findings validate_ps1(ByteView card) {
  if (card.size() < kCardSize) return {cut_short(card.size(), kCardSize)};
  Findings findings = validate_ps1_header(card);
  if (card.size() > kCardSize)
    findings.push_back(
        damaged(fmt::format("{} bytes come after the card", card.size() - kCardSize)));
  Cursor cursor(card);
  std::vector<int> holders(kBlocks);
  std::set<std::string> names;
  for (std::uint32_t block = 0; block < kBlocks; ++block) {
    const std::size_t frame = kDirectoryFrame + block;
    if (!checked(card, frame))
      findings.push_back(damaged(fmt::format("the check of directory frame {} fails", block + 1)));
    const std::uint32_t state = cursor.u32le(frame * kFrameSize + kState);
    const bool known =
        (state >= kFirst && state <= kLast) || (state >= kFree && state <= kDeletedLast);
    if (!known)
      findings.push_back(damaged(fmt::format("directory frame {} has no known state", block + 1)));
    const std::size_t start = frame * kFrameSize;
    std::size_t end = start + kName;
    while (end < start + kName + kNameLength && to_u8(card[end]) != 0) ++end;
    if (!is_filled(card.subspan(end, start + kFrameSize - 1 - end), std::byte{0}))
      findings.push_back(
          spare_lost(fmt::format("bytes come after the name in directory frame {}", block + 1)));
    if (state != kFirst) continue;
    walk_save(card, block, holders, findings);
    std::string name;
    for (std::size_t i = 0; i < kNameLength; ++i) {
      const auto letter = static_cast<char>(cursor.u8(frame * kFrameSize + kName + i));
      if (letter == 0) break;
      name.push_back(letter);
    }
    if (name.empty())
      findings.push_back(damaged(fmt::format("the save in block {} has no name", block + 1)));
    else if (!names.insert(name).second)
      findings.push_back(
          damaged(fmt::format("the save in block {} has another one's name", block + 1)));
  }
  std::uint64_t strays = 0;
  for (std::uint32_t block = 0; block < kBlocks; ++block) {
    const std::uint32_t state = cursor.u32le((kDirectoryFrame + block) * kFrameSize + kState);
    if (holders[block] > 1)
      findings.push_back(damaged(fmt::format("block {} belongs to several saves", block + 1)));
    if (holders[block] == 0 && (state == kMiddle || state == kLast)) ++strays;
  }
  if (strays > 0) findings.push_back(stray_blocks(strays));
  return findings;
}

}  // namespace bayswap
