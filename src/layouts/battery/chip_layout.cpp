#include "layouts/battery/chip_layout.h"

#include <fmt/format.h>

#include <algorithm>

#include "bytes/cursor.h"
#include "bytes/fill.h"
#include "bytes/order.h"
#include "bytes/text.h"
#include "layouts/battery/byte_order_evidence.h"
#include "layouts/battery/chips.h"
#include "layouts/cards/n64_pak_format.h"

namespace bayswap {
namespace {

std::uint64_t stored_size(std::uint64_t body, Arrangement arrangement) {
  const bool doubled = arrangement == Arrangement::odd || arrangement == Arrangement::even;
  return doubled ? body * 2 : body;
}

std::size_t data_offset(Arrangement arrangement) {
  return arrangement == Arrangement::odd ? 1 : 0;
}

std::size_t unit_of(Arrangement arrangement) {
  switch (arrangement) {
    case Arrangement::swap16: return 2;
    case Arrangement::swap32: return 4;
    case Arrangement::reverse8: return 8;
    default: return 1;
  }
}

// The filler of a doubled file, from its first pair; 0x00 when there is none.
std::byte filler_of(ByteView stored, Arrangement arrangement) {
  const std::size_t at = 1 - data_offset(arrangement);
  return at < stored.size() ? stored[at] : kErasedZero;
}

bool filler_is_uniform(ByteView stored, Arrangement arrangement) {
  const std::byte filler = filler_of(stored, arrangement);
  if (!is_erased(ByteView(&filler, 1))) return false;
  for (std::size_t at = 1 - data_offset(arrangement); at < stored.size(); at += 2)
    if (stored[at] != filler) return false;
  return true;
}

bool is_doubled(Arrangement arrangement) {
  return arrangement == Arrangement::odd || arrangement == Arrangement::even;
}

}  // namespace

Bytes straighten(ByteView stored, Arrangement arrangement) {
  if (!is_doubled(arrangement)) {
    Bytes chip(stored.begin(), stored.end());
    reverse_units(chip, unit_of(arrangement));
    return chip;
  }
  Bytes chip(stored.size() / 2);
  for (std::size_t i = 0; i < chip.size(); ++i) chip[i] = stored[2 * i + data_offset(arrangement)];
  return chip;
}

Bytes arrange(ByteView chip, Arrangement arrangement, std::byte filler) {
  if (!is_doubled(arrangement)) return straighten(chip, arrangement);
  Bytes stored(chip.size() * 2, filler);
  for (std::size_t i = 0; i < chip.size(); ++i) stored[2 * i + data_offset(arrangement)] = chip[i];
  return stored;
}

/// Where the body lies in a file.
struct ChipLayout::Frame {
  std::uint64_t body = 0;  // stored bytes
};

ChipLayout::ChipLayout(ChipSpec spec) : spec_(std::move(spec)) {
  info_.id = spec_.id;
  info_.system = spec_.system;
  info_.kind = Kind::battery;
  info_.summary = spec_.summary;
  info_.parts = {spec_.part};
  for (const std::uint64_t size : spec_.body_sizes)
    info_.file_sizes.push_back(stored_size(size, spec_.arrangement));
}

std::optional<ChipLayout::Frame> ChipLayout::frame_of(ByteView file, const Hints& hints) const {
  // The chip that the game has comes first, so that its trailer may be of any length.
  if (const auto chip = hinted_size(hints, spec_.part)) {
    const std::uint64_t body = stored_size(*chip, spec_.arrangement);
    if (file.size() == body) return Frame{body};
  }
  std::optional<Frame> best;
  for (const std::uint64_t size : info_.file_sizes) {
    if (file.size() < size || file.size() - size >= kTrailerLimit) continue;
    if (!best || size > best->body) best = Frame{size};
  }
  return best;
}

std::optional<Match> ChipLayout::recognise(ByteView file, const Hints& hints) const {
  const auto frame = frame_of(file, hints);
  if (!frame) return std::nullopt;
  const ByteView body = file.first(static_cast<std::size_t>(frame->body));
  if (is_doubled(spec_.arrangement) && !filler_is_uniform(body, spec_.arrangement))
    return std::nullopt;
  const std::uint64_t chip_size = is_doubled(spec_.arrangement) ? frame->body / 2 : frame->body;
  auto match = match_by_hints(spec_.system, spec_.part, chip_size, hints);
  if (!match) return std::nullopt;
  // An unknown trailer or an unusual capacity makes the size say less.
  const bool usual = spec_.usual_sizes == 0 || chip_size <= spec_.usual_sizes;
  const bool proven = match->confidence == Confidence::certain;
  if (file.size() != frame->body || (!usual && !proven))
    match->confidence = proven ? Confidence::likely : Confidence::possible;
  if (spec_.part == "pak1") {
    if (pak_has_id(body)) return Match{Confidence::certain, "the pak's id block holds", true};
    return Match{Confidence::possible, "the size fits"};
  }
  return by_order(*match, body, hints);
}

// Chips that are found in several byte orders: what can be read decides, else the chip's own order.
Match ChipLayout::by_order(Match match, ByteView body, const Hints& hints) const {
  if (!spec_.several_orders) return match;
  const ByteOrder order = judge_byte_order(body, hints.words);
  const ByteOrder own = spec_.arrangement == Arrangement::swap16   ? ByteOrder::swap16
                        : spec_.arrangement == Arrangement::swap32 ? ByteOrder::swap32
                                                                   : ByteOrder::native;
  if (order == own) {
    match.reason += ", and the content reads in this order";
    match.by_content = true;
    return match;
  }
  if (order == ByteOrder::unknown && own == ByteOrder::native) {
    match.confidence = std::min(match.confidence, Confidence::likely);
    match.reason += "; the byte order is assumed";
    return match;
  }
  return {Confidence::possible, match.reason};
}

Result<Content> ChipLayout::read(ByteView file, const Hints& hints) const {
  const auto frame = frame_of(file, hints);
  if (!frame) return wrong_size(info_, file.size());
  const auto body_size = static_cast<std::size_t>(frame->body);
  Save save;
  save.system = spec_.system;
  save.kind = Kind::battery;
  const Bytes chip = straighten(file.first(body_size), spec_.arrangement);
  save.parts.push_back(make_part(spec_.system, spec_.part, chip));
  Content content;
  content.saves.push_back(std::move(save));
  const ByteView rest = file.subspan(body_size);
  content.trailer.assign(rest.begin(), rest.end());
  return content;
}

Result<Written> ChipLayout::write(const WriteRequest& request) const {
  if (request.saves.size() != 1)
    return fail(Trouble::stopped, "no-match",
                fmt::format("{} holds one save, not {}", info_.id, request.saves.size()));
  const Save& save = request.saves.front();
  const Part* part = save.part(spec_.part);
  if (part == nullptr || save.system != spec_.system)
    return fail(Trouble::stopped, "no-match",
                fmt::format("the save has no {} {} to write as {}", to_string(spec_.system),
                            spec_.part, info_.id),
                "see 'bayswap layouts' for the layouts of its system");
  Written written;
  add_losses(save, {spec_.part}, info_.id, written.losses);

  std::uint64_t size = part->data.size();
  std::byte filler = kErasedZero;
  ByteView header;
  ByteView trailer;
  if (request.mould) {
    const auto frame = frame_of(*request.mould, request.hints);
    if (!frame)
      return fail(Trouble::stopped, "mould-differs",
                  fmt::format("the file to imitate is no {}: {} bytes", info_.id,
                              grouped(request.mould->size())));
    const auto body = static_cast<std::size_t>(frame->body);
    size = is_doubled(spec_.arrangement) ? frame->body / 2 : frame->body;
    filler = filler_of(request.mould->first(body), spec_.arrangement);
    trailer = request.mould->subspan(body);
  } else if (const auto hinted = hinted_size(request.hints, spec_.part)) {
    size = *hinted;
  }
  const auto& sizes = spec_.body_sizes;
  if (std::find(sizes.begin(), sizes.end(), size) == sizes.end() && !request.mould) {
    const auto larger = std::min_element(sizes.begin(), sizes.end(), [&](auto a, auto b) {
      return std::pair(a < size, a) < std::pair(b < size, b);
    });
    size = *larger >= size ? *larger : *std::max_element(sizes.begin(), sizes.end());
  }
  auto chip = resized(*part, size, spec_.erased, written.losses);
  if (!chip) {
    chip = part->data;
    chip->resize(static_cast<std::size_t>(size));
  }
  const Bytes body = arrange(*chip, spec_.arrangement, filler);
  written.bytes.assign(header.begin(), header.end());
  written.bytes.insert(written.bytes.end(), body.begin(), body.end());
  written.bytes.insert(written.bytes.end(), trailer.begin(), trailer.end());
  return written;
}

}  // namespace bayswap
