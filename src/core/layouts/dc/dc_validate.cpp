#include "core/layouts/dc/dc_validate.h"

#include <fmt/core.h>

#include <set>

#include "core/bytes/cursor.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/dc/dc_format.h"

namespace bayswap {
namespace {

using namespace dc;

constexpr std::size_t kRoot = kRootBlock * kBlockSize;
constexpr std::size_t kTable = kTableBlock * kBlockSize;

class Check {
 public:
  explicit Check(ByteView card) : card_(card), cursor_(card), holders_(kMostBlocks) {}

  Findings run() {
    for (std::uint32_t block = kFirstDirectory; block >= kLastDirectory; --block)
      for (std::size_t i = 0; i < kEntriesPerBlock; ++i)
        check_entry(std::size_t{block} * kBlockSize + i * kEntrySize);
    std::uint64_t strays = 0;
    for (std::uint32_t block = 0; block < kMostBlocks; ++block) {
      if (holders_[block] > 1) error(fmt::format("block {} belongs to several saves", block));
      if (holders_[block] == 0 && link(block) != kFree) ++strays;
    }
    if (strays > 0) findings_.push_back(stray_blocks(strays));
    return std::move(findings_);
  }

 private:
  void error(std::string text) { findings_.push_back(damaged(std::move(text))); }
  [[nodiscard]] std::uint16_t link(std::uint32_t block) {
    return cursor_.u16le(kTable + std::uint64_t{block} * 2);
  }

  void check_entry(std::size_t at) {
    const std::uint8_t type = cursor_.u8(at);
    if (type == 0) return;
    std::string name;
    for (std::size_t i = 0; i < kNameLength; ++i) {
      const auto letter = static_cast<char>(cursor_.u8(at + kName + i));
      if (letter == 0) break;
      name.push_back(letter);
    }
    while (name.ends_with(' ')) name.pop_back();
    if (type != kDataType && type != kGameType)
      return error(fmt::format("a directory entry has the unknown type {:02X}", type));
    if (name.empty()) error("a save has no name");
    if (!names_.insert(name).second) error("two saves have one name");
    if (type == kGameType && ++games_ == 2) error("the card has two games");
    std::uint32_t block = cursor_.u16le(at + kFirst);
    std::uint32_t length = 0;
    while (block < kMostBlocks && length <= kMostBlocks) {
      if (type == kGameType && block != length)
        return error("a game does not lie in one piece at the start of the card");
      ++holders_[block];
      ++length;
      const std::uint16_t next = link(block);
      if (next == kEnd) {
        if (length != cursor_.u16le(at + kBlockCount))
          error(fmt::format("a save's entry says {} blocks, its chain has {}",
                            cursor_.u16le(at + kBlockCount), length));
        return;
      }
      block = next;
    }
    error("the chain of a save is broken");
  }

  ByteView card_;
  Cursor cursor_;
  std::vector<int> holders_;
  std::set<std::string> names_;
  int games_ = 0;
  Findings findings_;
};

}  // namespace

Findings validate_dc_system(ByteView card) {
  Findings findings;
  Cursor cursor(card);
  for (std::size_t i = 0; i < kMarkLength; ++i)
    if (cursor.u8(kRoot + i) != 0x55) {
      findings.push_back(
          damaged("the card's root block is damaged: a console takes it for unformatted"));
      break;
    }
  if (cursor.u16le(kRoot + kTablePlace) != kTableBlock || cursor.u16le(kRoot + kTableSize) != 1 ||
      cursor.u16le(kRoot + kDirectoryPlace) != kFirstDirectory ||
      cursor.u16le(kRoot + kDirectorySize) != kDirectoryBlocks)
    findings.push_back(damaged("the root block does not say where the directory lies"));
  const std::uint32_t users = cursor.u16le(kRoot + kUserCount);
  if (users < kUserBlocks || users > kMostBlocks)
    findings.push_back(damaged(fmt::format("the root block speaks of {} blocks", users)));
  bool own = cursor.u16le(kTable + kRootBlock * 2) == kEnd &&
             cursor.u16le(kTable + kTableBlock * 2) == kEnd &&
             cursor.u16le(kTable + kLastDirectory * 2) == kEnd;
  for (std::uint32_t block = kFirstDirectory; block > kLastDirectory; --block)
    own = own && cursor.u16le(kTable + std::uint64_t{block} * 2) == block - 1;
  if (!own) findings.push_back(damaged("the allocation table does not hold the card's own blocks"));
  return findings;
}

Findings validate_dc(ByteView card) {
  if (card.size() < kCardSize) return {cut_short(card.size(), kCardSize)};
  Findings findings = validate_dc_system(card);
  if (card.size() > kCardSize)
    findings.push_back(
        damaged(fmt::format("{} bytes come after the card", card.size() - kCardSize)));
  Findings more = Check(card).run();
  findings.insert(findings.end(), more.begin(), more.end());
  return findings;
}

}  // namespace bayswap
