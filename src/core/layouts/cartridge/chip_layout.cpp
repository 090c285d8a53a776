#include "core/layouts/cartridge/chip_layout.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/order.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/byte_order_evidence.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/cartridge/health.h"
#include "core/layouts/cartridge/signatures.h"
#include "core/ordinary/plain_text.h"

namespace bayswap {
namespace {

constexpr std::byte kLowHalf{0x0F};

bool is_doubled(Arrangement arrangement) {
  return arrangement == Arrangement::odd || arrangement == Arrangement::even;
}

std::uint64_t stored_size(std::uint64_t body, Arrangement arrangement) {
  if (arrangement == Arrangement::nibbles) return body / 2;
  return is_doubled(arrangement) ? body * 2 : body;
}

std::uint64_t chip_size(std::uint64_t stored, Arrangement arrangement) {
  if (arrangement == Arrangement::nibbles) return stored * 2;
  return is_doubled(arrangement) ? stored / 2 : stored;
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

// Letters at one end of what stands behind a chip: a program's mark.
bool reads_as_mark(ByteView trailer) {
  constexpr std::size_t kLeast = 6;
  const auto is_word = [](ByteView bytes) {
    return bytes.size() == kLeast && std::ranges::all_of(bytes, [](std::byte b) {
             return to_u8(b) >= 0x20 && to_u8(b) < 0x7F;
           });
  };
  if (trailer.size() < kLeast) return false;
  std::size_t end = trailer.size();
  while (end > kLeast && (to_u8(trailer[end - 1]) == 0 || to_u8(trailer[end - 1]) == '\n')) --end;
  return is_word(trailer.first(kLeast)) || is_word(trailer.subspan(end - kLeast, kLeast));
}

bool filler_is_uniform(ByteView stored, Arrangement arrangement) {
  const std::byte filler = filler_of(stored, arrangement);
  if (!is_erased(ByteView(&filler, 1))) return false;
  for (std::size_t at = 1 - data_offset(arrangement); at < stored.size(); at += 2)
    if (stored[at] != filler) return false;
  return true;
}

// The bytes of a chip, then erased ones up to the size of a larger chip.
bool is_for_larger_chip(ByteView file, std::uint64_t chip) {
  constexpr std::uint64_t kLargest = 0x20000;
  if (chip == 0 || file.size() <= chip || file.size() > kLargest ||
      (file.size() & (file.size() - 1)) != 0)
    return false;
  return is_filled(file.subspan(static_cast<std::size_t>(chip)), kErasedOnes) && !is_erased(file);
}

}  // namespace

Bytes straighten(ByteView stored, Arrangement arrangement) {
  if (arrangement == Arrangement::nibbles) {
    Bytes chip;
    for (const std::byte pair : stored) {
      chip.push_back(pair & kLowHalf);
      chip.push_back(pair >> 4U);
    }
    return chip;
  }
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
  if (arrangement == Arrangement::nibbles) {
    Bytes packed(chip.size() / 2);
    for (std::size_t i = 0; i < packed.size(); ++i)
      packed[i] = (chip[2 * i] & kLowHalf) | (chip[2 * i + 1] & kLowHalf) << 4U;
    return packed;
  }
  if (!is_doubled(arrangement)) return straighten(chip, arrangement);
  Bytes stored(chip.size() * 2, filler);
  for (std::size_t i = 0; i < chip.size(); ++i) stored[2 * i + data_offset(arrangement)] = chip[i];
  return stored;
}

/// Where the chip lies in a file: stored bytes (chip and padding), then a trailer.
struct ChipLayout::Frame {
  std::uint64_t stored = 0;  ///< bytes of the file that are chip or padding
  std::uint64_t chip = 0;    ///< capacity of the chip in them
  bool mirrored = false;     ///< the padding repeats the chip
};

ChipLayout::ChipLayout(ChipSpec spec) : spec_(std::move(spec)) {
  info_.id = spec_.id;
  info_.system = spec_.system;
  info_.kind = Kind::battery;
  info_.summary = spec_.summary;
  info_.parts = {spec_.part};
  for (const std::uint64_t size : spec_.body_sizes)
    info_.file_sizes.push_back(stored_size(size, spec_.arrangement));
  smallest_first_ = spec_.body_sizes;
  std::ranges::sort(smallest_first_);
}

// The chip whose bytes begin a file for a larger one: the game's, or one that the bytes fill where
// the game is known to have it and not how large it is.
std::optional<std::uint64_t> ChipLayout::chip_in_larger(ByteView whole, const Hints& hints) const {
  const bool named = hints.chips && std::ranges::any_of(*hints.chips, [&](const Chip& chip) {
                       return chip.part == spec_.part;
                     });
  if (!named || is_doubled(spec_.arrangement)) return std::nullopt;
  const auto hinted = hinted_size(hints, spec_.part);
  for (const std::uint64_t size : smallest_first_) {
    const std::uint64_t stored = stored_size(size, spec_.arrangement);
    if ((hinted && *hinted != size) || !is_for_larger_chip(whole, stored)) continue;
    // What a chip of the next smaller kind would hold as well is that one's.
    constexpr std::uint64_t kNextSmaller = 16;
    constexpr std::uint64_t kSmallest = 512;
    if (!hinted && size > kSmallest && is_for_larger_chip(whole, stored / kNextSmaller)) continue;
    return size;
  }
  return std::nullopt;
}

std::optional<std::uint64_t> ChipLayout::stored_size_of(ByteView whole, const Hints& hints) const {
  const std::uint64_t file = whole.size();
  // A layout of one size is for that chip alone, whatever the game is said to have.
  const bool one_size = spec_.body_sizes.size() == 1;
  if (const auto chip = hinted_size(hints, spec_.part); chip && !one_size)
    if (file == stored_size(*chip, spec_.arrangement)) return file;
  // Some programs keep the largest chip of the system for every game, erased behind the save.
  if (chip_in_larger(whole, hints)) return file;
  std::optional<std::uint64_t> best;
  for (const std::uint64_t size : info_.file_sizes)
    if (file >= size && file - size < kTrailerLimit && (!best || size > *best)) best = size;
  constexpr std::size_t kStart = 256;
  if (best || is_plain_text(whole.first(std::min(whole.size(), kStart)))) return best;
  for (const std::uint64_t size : info_.file_sizes)
    if (file > size && file - size <= kTextTrailerLimit && (!best || size > *best) &&
        is_plain_text(whole.subspan(static_cast<std::size_t>(size))))
      best = size;
  return best;
}

std::optional<ChipLayout::Frame> ChipLayout::frame_of(ByteView file, const Hints& hints) const {
  const auto stored = stored_size_of(file, hints);
  if (!stored) return std::nullopt;
  Frame frame{*stored, chip_size(*stored, spec_.arrangement), false};
  const ByteView body = file.first(static_cast<std::size_t>(*stored));
  if (const auto chip = chip_in_larger(file, hints); chip && *stored == file.size()) {
    frame.chip = *chip;
    return frame;
  }
  // A smaller chip that was padded: the game's own size tells, or the bytes repeat.
  const auto hinted = hinted_size(hints, spec_.part);
  if (hinted && *hinted < frame.chip) {
    const Bytes whole = straighten(body, spec_.arrangement);
    if (!can_shrink(whole, static_cast<std::size_t>(*hinted))) return frame;
    frame.mirrored = !is_erased(ByteView(whole).subspan(static_cast<std::size_t>(*hinted)));
    frame.chip = *hinted;
    return frame;
  }
  if (hinted || is_erased(body)) return frame;
  for (const std::uint64_t size : smallest_first_) {
    if (size >= frame.chip) break;
    const std::uint64_t period = stored_size(size, spec_.arrangement);
    if (!repeats(body, static_cast<std::size_t>(period)) || has_short_period(body)) continue;
    frame.chip = size;
    frame.mirrored = true;
    break;
  }
  return frame;
}

std::optional<Match> ChipLayout::recognise(ByteView file, const Hints& hints) const {
  if (hints.system && *hints.system != spec_.system) return std::nullopt;
  // Only a game that has such a chip makes it more than bytes of that number.
  if (spec_.arrangement == Arrangement::nibbles &&
      hinted_size(hints, spec_.part) != kNibbleChipSize)
    return std::nullopt;
  const auto frame = frame_of(file, hints);
  if (!frame) return std::nullopt;
  const ByteView body = file.first(static_cast<std::size_t>(frame->stored));
  const ByteView behind = file.subspan(static_cast<std::size_t>(frame->stored));
  // A body of a chip's size with something behind it needs a reason to be believed.
  if (!behind.empty() && !hints.system && !reads_as_mark(behind) && !is_plain_text(behind))
    return std::nullopt;
  if (is_doubled(spec_.arrangement) &&
      (is_erased(body) || !filler_is_uniform(body, spec_.arrangement)))
    return std::nullopt;
  if (bears_signature(spec_.system, spec_.part)) {
    if (!is_doubled(spec_.arrangement) && unit_of(spec_.arrangement) == 1)
      return judge_signature(spec_.system, body);
    return judge_signature(spec_.system, straighten(body, spec_.arrangement));
  }
  auto match = match_by_hints(spec_.system, spec_.part, frame->chip, hints);
  if (!match) return std::nullopt;
  // An unknown trailer or an unusual capacity makes the size say less; small files with something
  // behind them are mostly something else.
  constexpr std::uint64_t kSmall = 0x2000;
  const bool usual = spec_.usual_sizes == 0 || frame->chip <= spec_.usual_sizes;
  const bool trailer = file.size() != frame->stored;
  const bool proven = match->confidence == Confidence::certain;
  if (trailer) match->confidence = std::min(match->confidence, Confidence::likely);
  if (!proven && (!usual || (trailer && frame->stored < kSmall)))
    match->confidence = Confidence::possible;
  if (is_doubled(spec_.arrangement)) {
    match->basis = Basis::appearance;
    match->reason += ", and every other byte is filler";
  }
  return by_order(*match, body, hints);
}

// Chips that are found in several byte orders: what can be read decides, else the chip's own order.
Match ChipLayout::by_order(Match match, ByteView body, const Hints& hints) const {
  if (spec_.orders.empty()) return match;
  const std::size_t own = unit_of(spec_.arrangement);
  const std::size_t unit = hints.readable_unit
                               ? *hints.readable_unit
                               : judge_byte_order(body, hints.words, spec_.orders).value_or(0);
  if (unit == own) {
    match.reason += ", and the content reads in this order";
    // Plain text speaks for an order, not for a family; turned text speaks for both.
    if (own != 1 || hints.system) match.basis = Basis::appearance;
    return match;
  }
  if (unit == 0 && own == 1) {
    match.confidence = std::min(match.confidence, Confidence::likely);
    match.reason += "; the byte order is assumed";
    return match;
  }
  return {Confidence::possible, match.reason, Basis::size};
}

Result<Content> ChipLayout::read(ByteView file, const Hints& hints) const {
  const auto frame = frame_of(file, hints);
  if (!frame) return wrong_size(info_, file.size());
  const auto stored = static_cast<std::size_t>(frame->stored);
  Bytes chip = straighten(file.first(stored), spec_.arrangement);
  Content content;
  if (chip.size() > frame->chip) {
    content.findings.push_back(
        {Level::note, Code::padded,
         fmt::format("the file holds {}, the chip {}: the rest {}", size_text(chip.size()),
                     size_text(frame->chip), frame->mirrored ? "repeats it" : "is erased"),
         ""});
    chip.resize(static_cast<std::size_t>(frame->chip));
  }
  Save save;
  save.system = spec_.system;
  save.kind = Kind::battery;
  save.parts.push_back(make_part(spec_.system, spec_.part, std::move(chip)));
  if (auto half = judge_half_written(save.parts.front()))
    content.findings.push_back(std::move(*half));
  if (auto inside = judge_contents(spec_.system, save.parts.front().data))
    content.findings.push_back(std::move(*inside));
  content.saves.push_back(std::move(save));
  const ByteView rest = file.subspan(stored);
  content.trailer.assign(rest.begin(), rest.end());
  return content;
}

// Without a mould: the game's capacity, else the part's own, in one of the sizes of the layout.
std::uint64_t ChipLayout::size_for(const Part& part, const Hints& hints) const {
  if (const auto hinted = hinted_size(hints, spec_.part)) return *hinted;
  const std::uint64_t size = part.data.size();
  const auto& sizes = spec_.body_sizes;
  if (std::find(sizes.begin(), sizes.end(), size) != sizes.end()) return size;
  const auto larger = std::min_element(sizes.begin(), sizes.end(), [&](auto a, auto b) {
    return std::pair(a < size, a) < std::pair(b < size, b);
  });
  return *larger >= size ? *larger : *std::max_element(sizes.begin(), sizes.end());
}

Result<Written> ChipLayout::write(const WriteRequest& request) const {
  if (request.saves.size() != 1)
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{} holds one save, not {}", info_.id, request.saves.size()));
  const Save& save = request.saves.front();
  const Part* part = save.part(spec_.part);
  if (part == nullptr || save.system != spec_.system)
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("the save has no {} {} to write as {}", to_string(spec_.system),
                            spec_.part, info_.id),
                {"see '", Remedy::list_layouts, "' for the layouts of its system"});
  if (spec_.arrangement == Arrangement::nibbles &&
      !is_nibble_chip(spec_.system, spec_.part, part->data.size()))
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{} holds a chip of {} cells of 4 bits; this one has {} bytes",
                            info_.id, kNibbleChipSize, grouped(part->data.size())),
                {"see '", Remedy::list_layouts, "' for the layouts of its system"});
  Written written;
  add_losses(save, {spec_.part}, info_.id, written.losses);
  Frame frame;
  std::byte padding = spec_.erased;
  ByteView trailer;
  if (request.mould) {
    const auto found = frame_of(*request.mould, request.hints);
    if (!found)
      return fail(Trouble::stopped, Code::mould_differs,
                  fmt::format("the file to imitate is not of the layout {}: {} bytes", info_.id,
                              grouped(request.mould->size())));
    frame = *found;
    const ByteView body = request.mould->first(static_cast<std::size_t>(frame.stored));
    if (frame.stored > stored_size(frame.chip, spec_.arrangement)) padding = body.back();
    trailer = request.mould->subspan(static_cast<std::size_t>(frame.stored));
  } else {
    frame.chip = size_for(*part, request.hints);
    frame.stored = stored_size(frame.chip, spec_.arrangement);
  }
  auto chip = resized(*part, frame.chip, spec_.erased, written.losses);
  if (!chip) {
    chip = part->data;
    chip->resize(static_cast<std::size_t>(frame.chip));
  }
  const std::size_t own = chip->size();
  chip->resize(static_cast<std::size_t>(chip_size(frame.stored, spec_.arrangement)), padding);
  if (frame.mirrored)
    for (std::size_t i = own; i < chip->size(); ++i) (*chip)[i] = (*chip)[i - own];
  written.bytes = arrange(*chip, spec_.arrangement, kErasedZero);
  if (request.mould && is_doubled(spec_.arrangement))
    for (std::size_t at = 1 - data_offset(spec_.arrangement); at < written.bytes.size(); at += 2)
      written.bytes[at] = (*request.mould)[at];
  // Programs keep the halves that are no cells as zeros or as ones.
  if (request.mould && spec_.arrangement == Arrangement::plain &&
      is_nibble_chip(spec_.system, spec_.part, own))
    for (std::size_t i = 0; i < own; ++i)
      written.bytes[i] = (written.bytes[i] & kLowHalf) | ((*request.mould)[i] & ~kLowHalf);
  written.bytes.insert(written.bytes.end(), trailer.begin(), trailer.end());
  return written;
}

}  // namespace bayswap
