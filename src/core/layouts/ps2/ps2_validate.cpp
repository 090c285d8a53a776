#include "core/layouts/ps2/ps2_validate.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/ps2/ps2_format.h"

namespace bayswap {
namespace {

using namespace ps2;

// Reads plain bytes where they lie: spare bytes may stand behind each page. No number crosses from
// one page into the next, and what does is past the end.
class PlainCursor {
 public:
  // `stride`: bytes from one page to the next.
  PlainCursor(ByteView file, std::size_t stride) : cursor_(file), stride_(stride) {}

  std::uint8_t u8(std::uint64_t offset) { return cursor_.u8(place_of(offset, 1)); }
  std::uint16_t u16le(std::uint64_t offset) { return cursor_.u16le(place_of(offset, 2)); }
  std::uint32_t u32le(std::uint64_t offset) { return cursor_.u32le(place_of(offset, 4)); }
  // Empty past the end, which is not an overrun.
  [[nodiscard]] ByteView page(std::uint64_t offset) const {
    Cursor once = cursor_;
    return once.bytes(place_of(offset, kPageSize), kPageSize);
  }
  [[nodiscard]] bool overrun() const { return cursor_.overrun(); }

 private:
  [[nodiscard]] std::uint64_t place_of(std::uint64_t offset, std::size_t width) const {
    constexpr std::uint64_t kNowhere = ~std::uint64_t{0};
    const std::uint64_t inside = offset % kPageSize;
    if (inside + width > kPageSize) return kNowhere;
    return offset / kPageSize * stride_ + inside;
  }

  Cursor cursor_;
  std::size_t stride_;
};

class Check {
 public:
  Check(PlainCursor plain, const Geometry& geometry, Findings& findings)
      : cursor_(plain), geometry_(geometry), findings_(findings), holders_(geometry.alloc_end) {}

  void run() {
    check_superblock();
    if (!load_table()) return;
    const auto root = walk(geometry_.root, "the root directory");
    if (root.empty()) return;
    const std::uint64_t dot = at(root[0]);
    const std::uint32_t entries = cursor_.u32le(dot + kLength);
    if (!is_dots(root) || entries < 2) {
      error("the root directory does not begin with its own entries");
      return;
    }
    if (root.size() < (std::uint64_t{entries} + 1) / 2) {
      error(fmt::format("the root directory has {} entries, but only {} clusters", entries,
                        root.size()));
      return;
    }
    check_entries(root, entries, geometry_.root, "", 0);
    std::uint64_t strays = 0;
    for (std::uint32_t number = 0; number < geometry_.alloc_end; ++number) {
      if (holders_[number] > 1) {
        error("clusters belong to several files");
        break;
      }
    }
    for (std::uint32_t number = 0; number < geometry_.usable(); ++number)
      if (holders_[number] == 0 && (table_[number] & kUsedBit) != 0) ++strays;
    if (strays > 0) findings_.push_back(stray_blocks(strays));
  }

 private:
  void error(std::string text) {
    if (findings_.size() < 40) findings_.push_back(damaged(std::move(text)));
  }

  [[nodiscard]] std::uint64_t at(std::uint32_t number) const {
    return (std::uint64_t{geometry_.alloc_first} + number) * kClusterSize;
  }

  void check_superblock() {
    // A console copies block 1 over the block that this one names, unless it reads erased.
    const std::uint64_t backup =
        std::uint64_t{geometry_.backup[1]} * kClustersPerBlock * kClusterSize;
    const ByteView page = cursor_.page(backup);
    if (page.empty())
      error("the card's backup blocks lie outside of it");
    else if (!is_erased(page))
      error("the card's second backup block is not erased: a console may write over another block");
    if (cursor_.u16le(kPagesPerBlockOffset) != kClustersPerBlock * kPagesPerCluster)
      findings_.push_back(
          spare_lost(fmt::format("the superblock speaks of {} pages in an erase block",
                                 cursor_.u16le(kPagesPerBlockOffset))));
    if (std::ranges::any_of(geometry_.bad_blocks, [&](std::uint32_t block) {
          return block != kNoBadBlock && block >= geometry_.clusters / kClustersPerBlock;
        }))
      findings_.push_back(
          spare_lost("the superblock's list of bad blocks names blocks outside of the card"));
    if (cursor_.u8(kCardType) != 2) error("the superblock speaks of another type of card");
  }

  bool load_table() {
    table_.resize(geometry_.alloc_end);
    for (std::uint32_t number = 0; number < geometry_.alloc_end; ++number) {
      const std::uint32_t list = number / kEntriesPerCluster / kEntriesPerCluster;
      if (list >= kListLength) {
        error("the allocation table is too small for the card");
        return false;
      }
      const std::uint64_t indirect = std::uint64_t{geometry_.indirect[list]} * kClusterSize;
      const std::uint32_t table =
          cursor_.u32le(indirect + (number / kEntriesPerCluster % kEntriesPerCluster) * 4);
      table_[number] =
          cursor_.u32le(std::uint64_t{table} * kClusterSize + (number % kEntriesPerCluster) * 4);
      const bool outside =
          geometry_.indirect[list] == 0 || table == 0 || table >= geometry_.alloc_first;
      if (outside || cursor_.overrun()) {
        error("the allocation table leads out of the card");
        return false;
      }
    }
    return true;
  }

  // The clusters of a chain; empty when it is broken.
  std::vector<std::uint32_t> walk(std::uint32_t first, const std::string& whose) {
    std::vector<std::uint32_t> clusters;
    std::uint32_t number = first;
    while (number < geometry_.alloc_end && (table_[number] & kUsedBit) != 0 &&
           clusters.size() < geometry_.alloc_end) {
      clusters.push_back(number);
      if (++holders_[number] > 1) break;
      number = table_[number] & ~kUsedBit;
      if (number == kChainEnd) return clusters;
    }
    error("the chain of " + whose + " is broken");
    return {};
  }

  [[nodiscard]] std::string name_at(std::uint64_t entry) {
    std::string name;
    for (std::size_t i = 0; i < kNameLength; ++i) {
      const auto letter = static_cast<char>(cursor_.u8(entry + kName + i));
      if (letter == 0) break;
      name.push_back(letter >= 0x20 && letter < 0x7F ? letter : '?');
    }
    return name;
  }

  bool is_dots(const std::vector<std::uint32_t>& directory) {
    const std::uint64_t first = at(directory[0]);
    return name_at(first) == "." && name_at(first + kEntrySize) == ".." &&
           (cursor_.u16le(first) & kDirectoryBit) != 0;
  }

  void check_entries(const std::vector<std::uint32_t>& directory, std::uint32_t entries,
                     std::uint32_t own_first, const std::string& path, int depth) {
    std::set<std::string> names;
    for (std::uint32_t i = 2; i < entries; ++i) {
      const std::uint64_t entry = at(directory[i / 2]) + (i % 2) * kEntrySize;
      const std::uint16_t mode = cursor_.u16le(entry + kMode);
      if ((mode & kExists) == 0) continue;
      const std::string name = path + name_at(entry);
      if (name == path || name == path + "." || name == path + "..") {
        error("an entry of " + (path.empty() ? "the root directory" : path) + " has no name");
        continue;
      }
      if (!names.insert(name).second) error("two entries are called " + name);
      const std::uint32_t length = cursor_.u32le(entry + kLength);
      const std::uint32_t first = cursor_.u32le(entry + kCluster);
      if ((mode & kDirectoryBit) != 0) {
        check_directory(name, first, length, i, own_first, depth);
        continue;
      }
      if (length == 0 && first == kNoCluster) continue;
      const auto clusters = walk(first, name);
      if (!clusters.empty() &&
          clusters.size() != (std::uint64_t{length} + kClusterSize - 1) / kClusterSize)
        error(fmt::format("{} has {} bytes, but {} clusters", name, length, clusters.size()));
    }
  }

  void check_directory(const std::string& name, std::uint32_t first, std::uint32_t length,
                       std::uint32_t index, std::uint32_t parent, int depth) {
    const auto clusters = walk(first, name);
    if (clusters.empty()) return;
    if (!is_dots(clusters) || length < 2 || clusters.size() < (std::uint64_t{length} + 1) / 2) {
      error("the directory " + name + " is damaged");
      return;
    }
    const std::uint64_t dot = at(clusters[0]);
    if (cursor_.u32le(dot + kCluster) != parent || cursor_.u32le(dot + kOwnIndex) != index)
      findings_.push_back(spare_lost("the directory " + name + " does not know its own place"));
    if (depth < 8) check_entries(clusters, length, first, name + "/", depth + 1);
  }

  PlainCursor cursor_;
  const Geometry& geometry_;
  Findings& findings_;
  std::vector<std::uint32_t> table_;
  std::vector<std::uint32_t> holders_;
};

// `held`: plain bytes that the file has.
Findings check_plain(PlainCursor plain, const std::optional<Geometry>& geometry, std::uint64_t held,
                     const Findings& of_pages) {
  if (!geometry) return {damaged("the card's superblock is damaged")};
  const std::uint64_t whole = std::uint64_t{geometry->clusters} * kClusterSize;
  if (held < whole) return {cut_short(held, whole)};
  Findings findings;
  if (held > whole) findings.push_back(damaged("bytes come after the card"));
  findings.insert(findings.end(), of_pages.begin(), of_pages.end());
  Check(plain, *geometry, findings).run();
  return findings;
}

}  // namespace

Findings validate_ps2(ByteView file) {
  if (!all_sound(file)) return validate_ps2(read_pages(file));
  return check_plain({file, kRawPageSize}, parse_superblock(file),
                     file.size() / kRawPageSize * kPageSize, {});
}

Findings validate_ps2(const Pages& pages) {
  Findings of_pages;
  if (pages.mended > 0)
    of_pages.push_back(spare_lost(fmt::format("{} pages have a wrong bit", pages.mended)));
  if (pages.broken_count > 0)
    of_pages.push_back(damaged(
        fmt::format("{} pages have more wrong bits than can be corrected", pages.broken_count)));
  return check_plain({pages.plain, kPageSize}, parse_superblock(pages.plain), pages.held, of_pages);
}

}  // namespace bayswap
