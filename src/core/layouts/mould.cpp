// Finding the body inside a file that is to be imitated.
#include <fmt/core.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <unordered_map>

#include "bayswap/layout.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/common/framed.h"
#include "core/ordinary/plain_text.h"

namespace bayswap {
namespace {

constexpr std::size_t kRun = 16;        // bytes that must agree to count as one vote
constexpr std::size_t kLeastVotes = 4;  // fewer may be chance

std::uint64_t run_key(ByteView data, std::size_t at) {
  std::uint64_t a = 0;
  std::uint64_t b = 0;
  std::memcpy(&a, data.data() + at, sizeof a);
  std::memcpy(&b, data.data() + at + sizeof a, sizeof b);
  return (a * 0x9E3779B97F4A7C15ULL) ^ (b * 0xC2B2AE3D27D4EB4FULL);
}

struct Place {
  std::size_t offset = 0;
  std::size_t votes = 0;
};

// The offset in the mould where most runs of the image are found at their own place.
std::optional<Place> place_by_votes(ByteView image, ByteView mould) {
  if (image.size() < kRun || mould.size() < kRun) return std::nullopt;
  std::unordered_map<std::uint64_t, std::size_t> places;
  for (std::size_t at = 0; at + kRun <= image.size(); at += kRun) {
    const ByteView run = image.subspan(at, kRun);
    if (repeats(run, 4)) continue;
    const auto [entry, fresh] = places.emplace(run_key(image, at), at);
    // A run that stands twice says nothing about the place.
    if (!fresh) entry->second = image.size();
  }
  std::map<std::size_t, std::size_t> votes;
  for (std::size_t at = 0; at + kRun <= mould.size(); ++at) {
    const auto found = places.find(run_key(mould, at));
    if (found != places.end() && found->second <= at) ++votes[at - found->second];
  }
  std::optional<Place> best;
  for (const auto& [offset, count] : votes)
    if (count >= kLeastVotes && (!best || count > best->votes)) best = Place{offset, count};
  return best;
}

// The sizes that the body of the mould may have at this offset, best first: that of the new body,
// then the largest.
std::optional<std::size_t> body_size(const Layout& layout, std::size_t image, std::size_t room) {
  if (image <= room) return image;
  std::optional<std::size_t> best;
  for (const std::uint64_t size : layout.info().file_sizes)
    if (size <= room && (!best || size > *best)) best = static_cast<std::size_t>(size);
  return best;
}

// A full-sized body and a text behind it: the size tells, whatever the text has in common with the
// save.
bool has_text_behind(const Layout& layout, ByteView mould) {
  std::optional<std::uint64_t> body;
  for (const std::uint64_t size : layout.info().file_sizes)
    if (size < mould.size() && (!body || size > *body)) body = size;
  return body && mould.size() - *body <= kTextTrailerLimit &&
         is_plain_text(mould.subspan(static_cast<std::size_t>(*body)));
}

}  // namespace

std::size_t shared_runs(const Layout& layout, const WriteRequest& request) {
  if (!request.mould) return 0;
  WriteRequest without = request;
  without.mould.reset();
  const auto image = layout.write(without);
  if (!image) return 0;
  const auto place = place_by_votes(image->bytes, *request.mould);
  return place ? place->votes : 0;
}

Result<Written> imitate(const Layout& layout, const WriteRequest& request) {
  if (!request.mould) return layout.write(request);
  const ByteView mould = *request.mould;
  const Layout& behind = layout_into(layout, mould);
  if (&behind != &layout) return behind.write(request);
  const auto usual = [&] { return layout.write(request); };
  const auto& sizes = layout.info().file_sizes;
  if (std::find(sizes.begin(), sizes.end(), mould.size()) != sizes.end() ||
      layout.header_size(mould) > 0 || has_text_behind(layout, mould))
    return usual();

  WriteRequest without = request;
  without.mould.reset();
  auto image = layout.write(without);
  if (!image) return image;
  const auto place = place_by_votes(image->bytes, mould);
  if (!place || place->offset == 0) {
    auto written = usual();
    if (written || written.error().code != Code::mould_differs || !place) return written;
  }
  const std::size_t start = place->offset;
  const auto size = body_size(layout, image->bytes.size(), mould.size() - start);
  if (!size) return usual();
  WriteRequest inner = request;
  inner.mould = mould.subspan(start, *size);
  auto written = layout.write(inner);
  if (!written) return written;
  const ByteView header = mould.first(start);
  const ByteView trailer = mould.subspan(start + *size);
  written->bytes.insert(written->bytes.begin(), header.begin(), header.end());
  written->bytes.insert(written->bytes.end(), trailer.begin(), trailer.end());
  written->notes.push_back(
      {Level::note, Code::kept_surroundings,
       fmt::format("{} bytes before the save and {} after it are kept from the imitated file",
                   grouped(header.size()), grouped(trailer.size())),
       ""});
  return written;
}

}  // namespace bayswap
