#include "core/layouts/saturn/saturn_format.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/encodings.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"

namespace bayswap::saturn {
namespace {

const Time kEpoch{std::chrono::sys_days{std::chrono::year{1980} / 1 / 1}};

// The bytes of a save's blocks without their tags, in order: header, list, data.
class Stream {
 public:
  Stream(ByteView memory, const Geometry& geometry) : memory_(memory), geometry_(geometry) {}

  void add(std::uint32_t block) {
    const ByteView bytes = block_at(memory_, geometry_, block).subspan(kTagSize);
    bytes_.insert(bytes_.end(), bytes.begin(), bytes.end());
  }
  [[nodiscard]] const Bytes& bytes() const { return bytes_; }

 private:
  ByteView memory_;
  const Geometry& geometry_;
  Bytes bytes_;
};

}  // namespace

bool is_doubled(ByteView file) {
  if (file.size() < 2 * kMark.size()) return false;
  std::size_t right = 0;
  // A few letters are there by chance; then the size tells.
  for (std::size_t i = 0; i < kMark.size(); ++i)
    right += static_cast<char>(file[2 * i + 1]) == kMark[i] ? 1 : 0;
  std::size_t plain = 0;
  for (std::size_t i = 0; i < kMark.size(); ++i)
    plain += static_cast<char>(file[i]) == kMark[i] ? 1 : 0;
  const std::size_t more = std::max(right, plain);
  if (more > 2 * std::min(right, plain) && more >= kMark.size() / 2) return right > plain;
  return file.size() == 2 * kInternal.size() || file.size() == 2 * kCartridge.size();
}

Geometry geometry_of(ByteView plain) {
  if (plain.size() > kInternal.size()) return kCartridge;
  if (plain.size() == kInternal.size()) return kInternal;
  const MarkCount marks = count_marks(plain, kCartridge);
  return marks.right * 2 > marks.places ? kCartridge : kInternal;
}

MarkCount count_marks(ByteView plain, const Geometry& geometry) {
  MarkCount count{0, geometry.block_size / kMark.size()};
  for (std::size_t i = 0; i < count.places; ++i)
    if (const auto text = slice(plain, i * kMark.size(), kMark.size());
        text && std::ranges::equal(*text, as_bytes(kMark)))
      ++count.right;
  return count;
}

std::uint32_t blocks_for(std::uint64_t size, const Geometry& geometry) {
  // Each block loses four bytes to its tag and two to its place in the list, whose end takes the
  // two that the first block's place would.
  const std::uint64_t each = geometry.block_size - kTagSize - 2;
  return static_cast<std::uint32_t>((size + kHeaderSize + each - 1) / each);
}

std::uint32_t tag_of(ByteView memory, const Geometry& geometry, std::uint32_t block) {
  return Cursor(block_at(memory, geometry, block)).u32be(0);
}

ByteView block_at(ByteView memory, const Geometry& geometry, std::uint32_t block) {
  return memory.subspan((std::size_t{block} + kFirstBlock) * geometry.block_size,
                        geometry.block_size);
}

Extent extent_of(ByteView memory, const Geometry& geometry, std::uint32_t first) {
  Extent extent;
  Stream stream(memory, geometry);
  stream.add(first);
  extent.chain.blocks.push_back(first);
  extent.size = Cursor(stream.bytes()).u32be(kSize);
  extent.sized =
      extent.size <= geometry.size() && blocks_for(extent.size, geometry) <= geometry.users();
  const std::uint32_t wanted = extent.sized ? blocks_for(extent.size, geometry) : 0;
  std::vector<bool> seen(geometry.users());
  seen[first] = true;
  for (std::size_t at = kHeaderSize;; at += 2) {
    // The list runs on into the blocks that it names.
    for (std::size_t next = stream.bytes().size() / (geometry.block_size - kTagSize);
         at + 2 > stream.bytes().size(); ++next) {
      if (next >= extent.chain.blocks.size()) {
        extent.chain.broken = "its list of blocks has no end";
        return extent;
      }
      stream.add(extent.chain.blocks[next]);
    }
    const std::uint16_t number = Cursor(stream.bytes()).u16be(at);
    if (number == 0) break;
    if (number < kFirstBlock || number >= geometry.blocks) {
      extent.chain.broken = "its list of blocks leads out of the memory";
      return extent;
    }
    const std::uint32_t block = number - kFirstBlock;
    if (seen[block]) {
      extent.chain.broken = "its list names a block twice";
      return extent;
    }
    seen[block] = true;
    extent.chain.blocks.push_back(block);
  }
  if (extent.chain.blocks.size() != wanted)
    extent.chain.broken = fmt::format("its list names {} blocks, its {} bytes need {}",
                                      extent.chain.blocks.size(), extent.size, wanted);
  return extent;
}

bool is_sensible_header(ByteView header, const Geometry& geometry) {
  const std::uint32_t size = Cursor(header).u32be(kSize);
  return size > 0 && size <= geometry.size() && blocks_for(size, geometry) <= geometry.users() &&
         header[kName] != std::byte{0};
}

bool is_plausible_header(ByteView header, const Geometry& geometry) {
  if (!is_sensible_header(header, geometry)) return false;
  bool ended = false;
  for (const std::byte letter : header.subspan(kName, kNameLength)) {
    if (ended && letter != std::byte{0}) return false;
    ended = ended || letter == std::byte{0};
    // Names are written in capitals, digits and signs; some in half-width katakana.
    const std::uint8_t value = to_u8(letter);
    if (!ended && (value < 0x20 || value == 0x7F || (value > 0x7F && value < 0xA1) || value > 0xDF))
      return false;
  }
  return true;
}

Save read_save(ByteView memory, const Geometry& geometry, const Extent& extent) {
  Stream stream(memory, geometry);
  for (const std::uint32_t block : extent.chain.blocks) stream.add(block);
  const ByteView bytes = stream.bytes();
  const std::size_t start = kHeaderSize + extent.chain.blocks.size() * 2;
  const auto data = slice(bytes, start, extent.size);
  return make_save(bytes.first(kHeaderSize), data ? Bytes(data->begin(), data->end()) : Bytes{});
}

Save make_save(ByteView header, Bytes data) {
  Save save;
  save.system = System::saturn;
  save.kind = Kind::card_save;
  save.name = shift_jis_text(header.subspan(kName, kNameLength));
  save.comment = shift_jis_text(header.subspan(kComment, kCommentLength));
  save.entry.assign(header.begin(), header.end());
  save.modified = kEpoch + std::chrono::minutes{Cursor(header).u32be(kDate)};
  const bool blank = is_erased(data);
  save.parts.push_back({std::string(kDataPart), std::move(data), blank, {}});
  return save;
}

Bytes header_for(const Save& save) {
  Bytes header(kHeaderSize);
  const std::span<std::byte> all(header);
  if (save.entry.size() == kHeaderSize) {
    std::ranges::copy(save.entry, header.begin());
  } else {
    header[kLanguage] = std::byte{1};  // English
    if (save.modified && *save.modified > kEpoch)
      store_be(all.subspan(kDate, 4),
               static_cast<std::uint64_t>(
                   std::chrono::floor<std::chrono::minutes>(*save.modified - kEpoch).count()));
  }
  if (shift_jis_text(all.subspan(kName, kNameLength)) != save.name) {
    std::ranges::fill(all.subspan(kName, kNameLength), std::byte{0});
    // A name that does not fit is left out, and the header without one is then refused.
    if (const auto name = shift_jis_bytes(save.name); name && name->size() <= kNameLength)
      std::ranges::copy(*name, all.subspan(kName).begin());
  }
  store_be(all.subspan(kSize, 4), save.parts.empty() ? 0 : save.parts.front().data.size());
  return header;
}

}  // namespace bayswap::saturn
