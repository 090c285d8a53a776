#include "core/packing/inner_streams.h"

#include <algorithm>
#include <array>
#include <optional>

#include "core/bytes/cursor.h"
#include "core/packing/packing.h"

namespace bayswap {
namespace {

constexpr std::size_t kMostStreams = 64;
constexpr std::size_t kMostTries = 4096;
constexpr std::uint64_t kMostBytes = 256ULL << 20U;
constexpr std::uint64_t kWorkRatio = 4;  // bytes that are unpacked for each byte of the content
constexpr std::size_t kLeastBytes = 64;  // of a stream; shorter ones hold no chip

std::optional<Packing> packing_at(ByteView content, std::size_t at) {
  const std::uint8_t first = to_u8(content[at]);
  if (first != 0x78 && first != 0x1F && first != 0x28 && first != 0x04) return std::nullopt;
  const std::uint32_t start = Cursor(content).u32be(at);
  if (start == 0x28B52FFD) return Packing::zstd;
  if (start == 0x04224D18) return Packing::lz4;
  if (start >> 8U == 0x1F8B08) return Packing::gzip;
  // The four levels that a zlib header can tell.
  const std::uint32_t pair = start >> 16U;
  const bool zlib = pair == 0x7801 || pair == 0x785E || pair == 0x789C || pair == 0x78DA;
  return zlib ? std::optional(Packing::zlib) : std::nullopt;
}

}  // namespace

std::vector<InnerStream> streams_in(ByteView content) {
  std::vector<InnerStream> found;
  std::uint64_t left = kMostBytes;
  // What unpacking costs, whether it leads to a stream or not.
  const std::uint64_t most_work = kMostBytes + kWorkRatio * content.size();
  std::uint64_t work = 0;
  std::size_t tried = 0;
  for (std::size_t at = 0; at + kLeastBytes / 4 < content.size() && tried < kMostTries &&
                           work < most_work && found.size() < kMostStreams;) {
    const auto packing = packing_at(content, at);
    if (!packing) {
      ++at;
      continue;
    }
    ++tried;
    auto stream = unpack(content.subspan(at), *packing, std::min(left, most_work - work),
                         AtLimit::fail, "", &work);
    if (!stream || stream->bytes.size() < kLeastBytes) {
      ++at;
      continue;
    }
    left -= stream->bytes.size();
    found.push_back({at, *packing, std::move(stream->bytes), stream->used});
    at += stream->used;
  }
  return found;
}

}  // namespace bayswap
