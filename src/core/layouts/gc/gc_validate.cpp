#include "core/layouts/gc/gc_validate.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/gc/gc_format.h"

namespace bayswap {
namespace {

using namespace gc;

// The sum of the words and of their complements, as the console computes them.
bool sums_fit(ByteView card, std::size_t from, std::size_t to, std::size_t check) {
  Cursor cursor(card);
  std::uint32_t sum = 0;
  std::uint32_t inverse = 0;
  for (std::size_t at = from; at < to; at += 2) {
    sum += cursor.u16be(at);
    inverse += 0xFFFFU - cursor.u16be(at);
  }
  sum &= 0xFFFFU;
  inverse &= 0xFFFFU;
  return cursor.u16be(check) == (sum == 0xFFFFU ? 0 : sum) &&
         cursor.u16be(check + 2) == (inverse == 0xFFFFU ? 0 : inverse);
}

bool directory_fits(ByteView card, std::size_t copy) {
  const std::size_t start = (1 + copy) * kBlockSize;
  return sums_fit(card, start, start + 0x1FFC, start + 0x1FFC);
}

bool map_fits(ByteView card, std::size_t copy) {
  const std::size_t start = (3 + copy) * kBlockSize;
  return sums_fit(card, start + 4, start + kBlockSize, start);
}

// The copy that a console uses; 2 when there is none.
std::size_t used_copy(ByteView card, bool first, bool second, std::size_t counter_a,
                      std::size_t counter_b) {
  if (!first || !second) return first ? 0 : second ? 1 : 2;
  Cursor cursor(card);
  return static_cast<std::int16_t>(cursor.u16be(counter_b)) >
                 static_cast<std::int16_t>(cursor.u16be(counter_a))
             ? 1
             : 0;
}

void check_pair(bool first, bool second, const std::string& what, Findings& findings) {
  if (!first && !second)
    findings.push_back(damaged("both copies of the card's " + what + " are damaged"));
  else if (!first || !second)
    findings.push_back(spare_lost("one of the two copies of the card's " + what + " is damaged"));
}

struct Tables {
  std::size_t directory = 2;
  std::size_t map = 2;
};

Tables tables_of(ByteView card) {
  return {used_copy(card, directory_fits(card, 0), directory_fits(card, 1),
                    kBlockSize + kDirectoryCounter, 2 * kBlockSize + kDirectoryCounter),
          used_copy(card, map_fits(card, 0), map_fits(card, 1), 3 * kBlockSize + kMapCounter,
                    4 * kBlockSize + kMapCounter)};
}

void check_free_count(ByteView card, std::size_t copy, std::uint32_t blocks, Findings& findings) {
  const std::size_t start = (3 + copy) * kBlockSize;
  Cursor cursor(card);
  std::uint32_t free = 0;
  for (std::uint32_t block = kSystemBlocks; block < blocks; ++block)
    if (cursor.u16be(start + kMapEntries + (block - kSystemBlocks) * 2) == 0) ++free;
  if (cursor.u16be(start + kMapFree) != free)
    findings.push_back(damaged(fmt::format("map {} counts {} free blocks, {} are free", copy + 1,
                                           cursor.u16be(start + kMapFree), free)));
}

void check_map_end(ByteView card, std::size_t copy, std::uint32_t blocks, Findings& findings) {
  const std::size_t start = (3 + copy) * kBlockSize;
  const std::size_t end = start + kMapEntries + (std::size_t{blocks} - kSystemBlocks) * 2;
  if (end < start + kBlockSize &&
      !is_filled(card.subspan(end, start + kBlockSize - end), std::byte{0}))
    findings.push_back(
        spare_lost(fmt::format("map {} goes on after the card's last block", copy + 1)));
  const std::uint16_t last = Cursor(card).u16be(start + kMapLast);
  if (last + 1U < kSystemBlocks || last >= blocks)
    findings.push_back(spare_lost(
        fmt::format("map {} gave out last a block that the card does not have", copy + 1)));
}

class Walker {
 public:
  Walker(ByteView card, const Tables& tables, Findings& findings)
      : cursor_(card),
        card_(card),
        map_((3 + tables.map) * kBlockSize + kMapEntries),
        directory_((1 + tables.directory) * kBlockSize),
        blocks_(static_cast<std::uint32_t>(card.size() / kBlockSize)),
        holders_(blocks_),
        findings_(findings) {}

  void walk() {
    for (std::size_t i = 0; i < kEntries; ++i) {
      const std::size_t at = directory_ + i * kEntrySize;
      if (is_filled(card_.subspan(at, kEntrySize), std::byte{0xFF})) continue;
      entry(i, at);
    }
    std::uint64_t strays = 0;
    for (std::uint32_t block = kSystemBlocks; block < blocks_; ++block) {
      if (holders_[block] > 1)
        findings_.push_back(damaged(fmt::format("block {} belongs to several saves", block)));
      if (holders_[block] == 0 && next_of(block) != 0) ++strays;
    }
    if (strays > 0) findings_.push_back(stray_blocks(strays));
  }

 private:
  [[nodiscard]] std::uint16_t next_of(std::uint32_t block) {
    return cursor_.u16be(map_ + (block - kSystemBlocks) * 2);
  }

  void entry(std::size_t place, std::size_t at) {
    std::string key;
    for (std::size_t i = 0; i < 6; ++i) key.push_back(static_cast<char>(cursor_.u8(at + i)));
    for (std::size_t i = 0; i < kNameLength && cursor_.u8(at + kName + i) != 0; ++i)
      key.push_back(static_cast<char>(cursor_.u8(at + kName + i)));
    if (key.size() == 6 ||
        std::any_of(key.begin(), key.begin() + 6, [](char c) { return c < 0x20 || c > 0x7E; })) {
      findings_.push_back(damaged(fmt::format("directory entry {} makes no sense", place + 1)));
      return;
    }
    if (!keys_.insert(key).second)
      findings_.push_back(
          damaged(fmt::format("directory entry {} has the name of another one", place + 1)));
    std::uint32_t block = cursor_.u16be(at + kFirstBlock);
    const std::uint32_t count = cursor_.u16be(at + kBlockCount);
    std::uint32_t length = 0;
    while (block >= kSystemBlocks && block < blocks_ && length <= blocks_) {
      ++length;
      ++holders_[block];
      const std::uint16_t next = next_of(block);
      if (next == kMapEnd) {
        if (length != count)
          findings_.push_back(damaged(fmt::format("{}: {} blocks in its entry, {} in its chain",
                                                  key.substr(6), count, length)));
        return;
      }
      block = next;
    }
    findings_.push_back(damaged(fmt::format("the chain of {} is broken", key.substr(6))));
  }

  Cursor cursor_;
  ByteView card_;
  std::size_t map_;
  std::size_t directory_;
  std::uint32_t blocks_;
  std::vector<int> holders_;
  std::set<std::string> keys_;
  Findings& findings_;
};

}  // namespace

Findings validate_gc_system(ByteView card) {
  Findings findings;
  if (card.size() < kSystemBlocks * kBlockSize) return {cut_short(card.size(), kBlockSize * 64)};
  Cursor cursor(card);
  const auto blocks = static_cast<std::uint32_t>(card.size() / kBlockSize);
  if (!sums_fit(card, 0, kHeaderCheck, kHeaderCheck))
    findings.push_back(damaged("the check of the card's header fails"));
  else if (cursor.u16be(kMbit) * kBlocksPerMbit != blocks)
    findings.push_back(damaged(fmt::format("the header speaks of {} blocks, the file has {}",
                                           cursor.u16be(kMbit) * kBlocksPerMbit, blocks)));
  else if (cursor.u16be(kEncoding) > 1)
    findings.push_back(spare_lost("the header does not say how the card's text is stored"));
  check_pair(directory_fits(card, 0), directory_fits(card, 1), "directory", findings);
  check_pair(map_fits(card, 0), map_fits(card, 1), "allocation map", findings);
  for (const std::size_t copy : {0U, 1U})
    if (map_fits(card, copy)) {
      check_free_count(card, copy, blocks, findings);
      check_map_end(card, copy, blocks, findings);
    }
  return findings;
}

Findings validate_gc(ByteView card) {
  const bool sized = std::any_of(kCapacities.begin(), kCapacities.end(), [&](std::uint32_t c) {
    return (c + kSystemBlocks) * kBlockSize == card.size();
  });
  if (!sized) {
    const std::uint32_t capacity = capacity_of(card);
    const std::uint64_t whole = (capacity + kSystemBlocks) * kBlockSize;
    if (card.size() < whole) return {cut_short(card.size(), whole)};
    return {damaged("the file does not have the size of a gc card")};
  }
  Findings findings = validate_gc_system(card);
  const Tables tables = tables_of(card);
  if (tables.directory < 2 && tables.map < 2) Walker(card, tables, findings).walk();
  return findings;
}

}  // namespace bayswap
