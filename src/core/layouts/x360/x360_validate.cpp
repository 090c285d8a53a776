#include "core/layouts/x360/x360_validate.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>

#include "core/bytes/cursor.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/x360/x360_format.h"

namespace bayswap {
namespace {

using namespace x360;

// Walks a package from its first byte to its last, as a console lays it out.
class Check {
 public:
  explicit Check(ByteView package) : package_(package) {}

  Findings run() {
    if (!read_header()) return std::move(findings_);
    lay_out();
    if (blocks_ == 0) return std::move(findings_);
    read_tables();
    read_file_table();
    check_files();
    check_counts();
    return std::move(findings_);
  }

 private:
  struct Table {
    std::uint64_t at = 0;  // of its first copy, in bytes
    bool holds = false;
    ByteView bytes;
  };

  void error(std::string text) { findings_.push_back(damaged(std::move(text))); }

  bool hash_fits(ByteView bytes, std::uint64_t at) {
    return std::ranges::equal(sha1(bytes), Cursor(package_).bytes(at, 20));
  }

  bool read_header() {
    Cursor cursor(package_);
    const std::uint64_t size = cursor.u32be(0x340);
    end_ = (size + 0xFFF) & ~std::uint64_t{0xFFF};
    if (!has_magic(package_) || end_ < 0x1000 || end_ > package_.size()) {
      error("its header is not that of an x360 package");
      return false;
    }
    if (!hash_fits(package_.subspan(0x344, end_ - 0x344), 0x32C))
      error("the header's own hash does not match: something in it was changed");
    if (cursor.u8(0x379) != 0x24)
      error("the description of the volume has a size that no console writes");
    copies_ = (cursor.u8(0x37B) & 1U) != 0 ? 1 : 2;
    root_copy_ = copies_ == 2 && (cursor.u8(0x37B) & 2U) != 0 ? 1 : 0;
    table_blocks_ = cursor.u16le(0x37C);
    table_start_ = u24le(package_, 0x37E);
    blocks_ = std::uint64_t{cursor.u32be(0x395)} + cursor.u32be(0x399);
    if (blocks_ == 0) error("the header counts no blocks, not even those of the file table");
    return blocks_ > 0;
  }

  void lay_out() {
    std::uint64_t at = end_;
    const auto table = [&](unsigned level) {
      tables_[level].push_back({at, false, {}});
      at += copies_ * std::uint64_t{0x1000};
    };
    for (std::uint64_t block = 0; block < blocks_ && at < package_.size(); ++block) {
      if (block == 170) table(1);
      if (block == 28900) table(2);
      if (block > 0 && block % 28900 == 0) table(1);
      if (block % 170 == 0) table(0);
      if (at + 0x1000 > package_.size()) break;
      data_.push_back(at);
      at += 0x1000;
    }
    // Free blocks behind the last used one need not be there.
    blocks_ = data_.size();
    level_ = blocks_ <= 170 ? 0 : blocks_ <= 28900 ? 1 : 2;
    const std::uint64_t total = Cursor(package_).u32be(0x395);
    const std::uint64_t free = Cursor(package_).u32be(0x399);
    if (blocks_ + free < total)
      error(fmt::format("the file is cut short: {} of the {} in use are there", blocks_,
                        counted(total - free, "block")));
  }

  void read_tables() {
    check_table(level_, 0, 0x381, root_copy_, "root");
    for (unsigned level = level_; level-- > 0;)
      for (std::size_t i = 0; i < tables_[level].size(); ++i) {
        const Table& parent = tables_[level + 1].at(i / 170);
        if (parent.bytes.empty()) continue;
        const std::size_t entry = i % 170 * 24;
        const auto offset = static_cast<std::uint64_t>(parent.bytes.data() - package_.data());
        const unsigned copy = copies_ == 2 ? to_u8(parent.bytes[entry + 20]) >> 6U & 1U : 0;
        check_table(level, i, offset + entry, copy, "block");
      }
  }

  void check_table(unsigned level, std::size_t number, std::uint64_t hash_at, unsigned copy,
                   std::string_view what) {
    Table& table = tables_[level].at(number);
    const auto bytes = slice(package_, table.at + copy * std::uint64_t{0x1000}, 0x1000);
    if (!bytes) return;
    table.bytes = *bytes;
    table.holds = hash_fits(*bytes, hash_at);
    if (!table.holds)
      error(fmt::format("the hash of the {} table {} does not match", what, number + 1));
  }

  [[nodiscard]] ByteView hash_entry(std::uint64_t block) const {
    const Table& table = tables_[0].at(block / 170);
    return table.bytes.empty() ? ByteView{} : table.bytes.subspan(block % 170 * 24, 24);
  }

  // Follows a chain and claims its blocks. False when it breaks.
  bool claim(std::uint64_t start, std::uint64_t count, bool consecutive, const std::string& who) {
    std::uint64_t block = start;
    std::uint64_t wrong = 0;
    for (std::uint64_t i = 0; i < count; ++i) {
      if (block >= blocks_) {
        error(fmt::format("{}: its chain of blocks ends after {} of {}", who, i, count));
        return false;
      }
      if (!claimed_.insert(block).second) {
        error(fmt::format("{}: block {} belongs to something else too", who, block));
        return false;
      }
      const ByteView entry = hash_entry(block);
      if (entry.empty()) return false;
      const auto data = slice(package_, data_[block], 0x1000);
      if ((to_u8(entry[20]) & 0x80U) == 0)
        error(fmt::format("{}: block {} is not marked as used", who, block));
      else if (!data || !std::ranges::equal(sha1(*data), entry.first(20)))
        ++wrong;
      block = consecutive ? block + 1 : u24be(entry, 21);
    }
    if (!consecutive && count > 0 && block != 0xFFFFFF)
      error(fmt::format("{}: its chain of blocks goes on after its end", who));
    if (wrong > 0)
      error(fmt::format("{}: the hashes of {} do not match", who, counted(wrong, "block")));
    return true;
  }

  void read_file_table() {
    if (table_blocks_ == 0 || table_blocks_ > 1024) {
      error("the package has no file table");
      return;
    }
    if (!claim(table_start_, table_blocks_, false, "the file table")) return;
    std::uint64_t block = table_start_;
    for (std::uint32_t i = 0; i < table_blocks_; ++i) {
      const auto bytes = slice(package_, data_.at(block), 0x1000);
      if (!bytes) return;
      for (std::size_t at = 0; at < 0x1000; at += 64) entries_.push_back(bytes->subspan(at, 64));
      block = u24be(hash_entry(block), 21);
    }
  }

  static std::size_t name_length(ByteView entry) { return to_u8(entry[0x28]) & 0x3FU; }
  static bool is_folder(ByteView entry) {
    return (to_u8(entry[0x28]) & 0x80U) != 0 && name_length(entry) > 0;
  }

  void check_files() {
    std::set<std::pair<unsigned, std::string>> names;
    for (std::size_t i = 0; i < entries_.size(); ++i) {
      const ByteView entry = entries_[i];
      const std::size_t length = name_length(entry);
      if (length == 0) continue;
      Cursor cursor(entry);
      const std::string name = name_text(entry.first(std::min<std::size_t>(length, 40)));
      if (length > 40 || name.find('/') != std::string::npos)
        error(fmt::format("file {}: its name cannot be one", i + 1));
      const unsigned parent = cursor.u16be(0x32);
      if (!leads_to_root(parent)) error(fmt::format("{}: its folder is not there", name));
      if (!names.emplace(parent, lower_ascii(name)).second)
        error(fmt::format("{}: there are two of that name", name));
      if (is_folder(entry)) continue;
      const std::uint64_t size = cursor.u32be(0x34);
      const std::uint64_t count = (size + 0xFFF) / 0x1000;
      if (u24le(entry, 0x29) != count)
        error(fmt::format("{}: {} for {} bytes do not fit", name,
                          counted(u24le(entry, 0x29), "block"), grouped(size)));
      (void)claim(u24le(entry, 0x2F), count, (to_u8(entry[0x28]) & 0x40U) != 0, name);
    }
  }

  bool leads_to_root(unsigned parent) {
    for (int depth = 0; depth < 64; ++depth) {
      if (parent == 0xFFFF) return true;
      if (parent >= entries_.size() || !is_folder(entries_[parent])) return false;
      parent = Cursor(entries_[parent]).u16be(0x32);
    }
    return false;
  }

  void check_counts() {
    std::uint64_t used = 0;
    std::uint64_t stray = 0;
    std::uint64_t behind_last = 0;
    for (std::uint64_t block = 0; block < blocks_; ++block) {
      const ByteView entry = hash_entry(block);
      if (entry.empty() || (to_u8(entry[20]) & 0x80U) == 0) continue;
      ++used;
      behind_last = block + 1;
      if (!claimed_.contains(block)) ++stray;
    }
    const std::uint64_t total = Cursor(package_).u32be(0x395);
    const std::uint64_t free = Cursor(package_).u32be(0x399);
    if (total < behind_last || free > total || total - free != used)
      findings_.push_back(
          spare_lost(fmt::format("the header counts {}, {} of them free; {} are in use",
                                 counted(total, "block"), free, used)));
    if (stray > 0) findings_.push_back(stray_blocks(stray));
  }

  ByteView package_;
  Findings findings_;
  std::uint64_t end_ = 0;
  unsigned copies_ = 1;
  unsigned root_copy_ = 0;
  std::uint32_t table_blocks_ = 0;
  std::uint32_t table_start_ = 0;
  std::uint64_t blocks_ = 0;
  unsigned level_ = 0;
  std::array<std::vector<Table>, 3> tables_;
  std::vector<std::uint64_t> data_;  // where each block stands, in bytes
  std::vector<ByteView> entries_;
  std::set<std::uint64_t> claimed_;
};

}  // namespace

Findings validate_x360(ByteView package) {
  return Check(package).run();
}

}  // namespace bayswap
