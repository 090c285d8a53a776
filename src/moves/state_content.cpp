#include "moves/state_content.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/state.h"
#include "core/packing/packing.h"

namespace bayswap {

bool Ground::is_packed(std::size_t at, std::size_t size) const {
  return streams != nullptr && std::ranges::any_of(*streams, [&](const InnerStream& stream) {
           return stream.offset < at + size && at < stream.offset + stream.packed_size;
         });
}

bool Ground::has_section(std::size_t at, std::size_t size) const {
  const bool all = streams == nullptr && at == 0 && size == bytes.size();
  return all || std::ranges::any_of(sections, [&](const Section& section) {
           return section.offset == at && section.size == size;
         });
}

Result<StateContent> StateContent::open(Storage& storage, const Path& path) {
  const auto view = storage.view(path, kSaveLimit);
  if (!view) return tl::unexpected(view.error());
  StateContent state(*view);
  const Packing packing = packing_of(view->bytes());
  if (packing != Packing::plain) {
    auto unpacked = unpack(view->bytes(), packing, kMostUnpacked, AtLimit::fail, path.string());
    if (!unpacked) return tl::unexpected(unpacked.error());
    state.unpacked_ = std::move(unpacked->bytes);
  }
  state.streams_ = streams_in(state.content());
  if (auto chain = sections_from_start(state.content()))
    state.sections_ = std::move(chain->sections);
  return state;
}

std::vector<Ground> StateContent::grounds() const {
  std::vector<Ground> grounds{{content(), {}, 0, &streams_, sections_}};
  for (const InnerStream& stream : streams_)
    grounds.push_back(
        {stream.bytes,
         fmt::format("the {} stream at offset 0x{:X}", to_string(stream.packing), stream.offset),
         stream.offset,
         nullptr,
         {}});
  return grounds;
}

}  // namespace bayswap
