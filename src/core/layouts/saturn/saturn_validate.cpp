#include "core/layouts/saturn/saturn_validate.h"

#include <fmt/core.h>

#include <set>

#include "core/bytes/cursor.h"
#include "core/layouts/common/card_errors.h"
#include "core/layouts/saturn/saturn_format.h"

namespace bayswap {
namespace {

using namespace saturn;

class Check {
 public:
  Check(ByteView memory, const Geometry& geometry)
      : cursor_(memory), size_(geometry.block_size), holders_(geometry.blocks) {}

  Findings run() {
    for (std::uint32_t block = kFirstBlock; block < holders_.size(); ++block)
      if (tag(block) == kStartTag) walk(block);
    std::uint64_t strays = 0;
    for (std::uint32_t block = kFirstBlock; block < holders_.size(); ++block) {
      if (holders_[block] > 1) error(fmt::format("block {} belongs to several saves", block));
      if (holders_[block] == 0 && tag(block) != 0) ++strays;
    }
    if (strays > 0) findings_.push_back(stray_blocks(strays));
    return std::move(findings_);
  }

 private:
  void error(std::string text) { findings_.push_back(damaged(std::move(text))); }
  [[nodiscard]] std::uint32_t tag(std::uint32_t block) {
    return cursor_.u32be(std::uint64_t{block} * size_);
  }

  // A byte of a save's content: tags are no part of it.
  [[nodiscard]] std::uint8_t content(const std::vector<std::uint32_t>& blocks, std::size_t at) {
    const std::size_t each = size_ - kTagSize;
    return cursor_.u8(std::uint64_t{blocks[at / each]} * size_ + kTagSize + at % each);
  }

  void walk(std::uint32_t first) {
    std::vector<std::uint32_t> blocks{first};
    ++holders_[first];
    const auto broken = [&] { error(fmt::format("the save in block {} is broken", first)); };
    std::string name;
    for (std::size_t i = 0; i < kNameLength && content(blocks, i) != 0; ++i)
      name.push_back(static_cast<char>(content(blocks, i)));
    if (name.empty()) error(fmt::format("the save in block {} has no name", first));
    if (!names_.insert(name).second)
      error(fmt::format("the save in block {} has another one's name", first));
    std::uint64_t size = 0;
    for (std::size_t i = 0; i < 4; ++i) size = size << 8U | content(blocks, kSize + i);
    const std::size_t each = size_ - kTagSize;
    std::size_t at = kHeaderSize;
    while (true) {
      if (at + 2 > blocks.size() * each) return broken();
      const unsigned number = content(blocks, at) * 256U + content(blocks, at + 1);
      at += 2;
      if (number == 0) break;
      if (number < kFirstBlock || number >= holders_.size()) return broken();
      // Its own blocks twice would be a loop without end.
      if (blocks.size() > holders_.size()) return broken();
      blocks.push_back(number);
      ++holders_[number];
      if (tag(number) != 0) error(fmt::format("block {} is marked as another save's", number));
    }
    const std::uint64_t needed = at + size;
    if (size == 0 || (needed + each - 1) / each != blocks.size()) broken();
  }

  Cursor cursor_;
  std::size_t size_;
  std::vector<int> holders_;
  std::set<std::string> names_;
  Findings findings_;
};

}  // namespace

Findings validate_saturn_mark(ByteView memory) {
  const MarkCount marks = count_marks(memory, geometry_of(memory));
  if (marks.right == marks.places) return {};
  return {damaged(fmt::format(
      "the text that names the format is damaged in {} of {} places: a console takes the memory "
      "for unformatted",
      marks.places - marks.right, marks.places))};
}

Findings validate_saturn(ByteView memory) {
  const Geometry geometry = geometry_of(memory);
  if (memory.size() < geometry.size()) return {cut_short(memory.size(), geometry.size())};
  Findings findings = validate_saturn_mark(memory);
  if (memory.size() > geometry.size())
    findings.push_back(
        damaged(fmt::format("{} bytes come after the memory", memory.size() - geometry.size())));
  Findings more = Check(memory, geometry).run();
  findings.insert(findings.end(), more.begin(), more.end());
  return findings;
}

}  // namespace bayswap
