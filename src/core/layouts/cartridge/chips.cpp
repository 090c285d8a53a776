#include "core/layouts/cartridge/chips.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/clock.h"
#include "core/layouts/cartridge/health.h"
#include "core/layouts/cartridge/signatures.h"
#include "core/layouts/n64/n64_pak_format.h"

namespace bayswap {
namespace {

bool low_nibbles_equal(ByteView a, ByteView b) {
  constexpr std::byte kLow{0x0F};
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [](std::byte x, std::byte y) { return (x & kLow) == (y & kLow); });
}

bool nibbles_blank(ByteView data) {
  const Bytes zeros(data.size(), kErasedZero);
  const Bytes ones(data.size(), kErasedOnes);
  return low_nibbles_equal(data, zeros) || low_nibbles_equal(data, ones);
}

}  // namespace

bool is_nibble_chip(System system, std::string_view part, std::size_t size) {
  return system == System::gb && part == "sram" && size == kNibbleChipSize;
}

bool is_blank_part(System system, std::string_view part, ByteView data) {
  if (part == "clock") return clock_is_blank(data);
  if (is_nibble_chip(system, part, data.size())) return nibbles_blank(data);
  if (part.starts_with("pak")) return is_erased(data) || n64::pak_is_empty(data);
  return is_erased(data) || has_short_period(data) || is_formatted_and_empty(system, data);
}

bool same_progress(System system, const Part& a, const Part& b) {
  if (a.name != b.name) return false;
  if (a.name == "clock") return same_clock(a.data, b.data);
  if (a.blank && b.blank) return true;
  if (is_nibble_chip(system, a.name, a.data.size())) return low_nibbles_equal(a.data, b.data);
  // The same bytes at two capacities are the same progress when the longer one only pads.
  const ByteView shorter = a.data.size() <= b.data.size() ? a.data : b.data;
  const ByteView longer = a.data.size() <= b.data.size() ? b.data : a.data;
  if (!std::equal(shorter.begin(), shorter.end(), longer.begin())) return false;
  return can_shrink(longer, shorter.size());
}

Part make_part(System system, std::string name, Bytes data) {
  Part part{std::move(name), std::move(data), false};
  part.blank = is_blank_part(system, part.name, part.data);
  return part;
}

std::optional<Bytes> resized(const Part& part, std::uint64_t size, std::byte erased,
                             Findings& losses) {
  Bytes data = part.data;
  if (size >= data.size()) {
    data.resize(static_cast<std::size_t>(size), erased);
    return data;
  }
  if (can_shrink(data, static_cast<std::size_t>(size))) {
    data.resize(static_cast<std::size_t>(size));
    return data;
  }
  losses.push_back({Level::error, Code::loses_parts,
                    fmt::format("{} holds {}, and only {} of it would fit", part.name,
                                size_text(part.data.size()), size_text(size)),
                    "choose a layout of the size of the chip"});
  return std::nullopt;
}

Finding lost_part(const Part& part, std::string_view layout) {
  return {Level::error,
          Code::loses_parts,
          fmt::format("{} ({}) holds progress and has no place in {}", part.name,
                      size_text(part.data.size()), layout),
          {"write it as a file of its own or in a layout that holds it, or leave it behind with ",
           accept_remedy(Code::loses_parts)}};
}

void add_losses(const Save& save, const std::vector<std::string>& kept, std::string_view layout,
                Findings& losses) {
  for (const Part& part : save.parts) {
    if (part.blank || std::find(kept.begin(), kept.end(), part.name) != kept.end()) continue;
    losses.push_back(lost_part(part, layout));
  }
}

std::optional<std::uint64_t> hinted_size(const Hints& hints, std::string_view part) {
  if (!hints.chips) return std::nullopt;
  for (const Chip& chip : *hints.chips)
    if (chip.part == part && chip.size > 0) return chip.size;
  return std::nullopt;
}

std::optional<Match> match_by_hints(System system, std::string_view part, std::uint64_t size,
                                    const Hints& hints) {
  if (hints.system && *hints.system != system) return std::nullopt;
  if (!hints.system) return Match{Confidence::possible, "the size fits"};
  const auto chip_size = hinted_size(hints, part);
  if (!chip_size) {
    const bool named = hints.chips && std::any_of(hints.chips->begin(), hints.chips->end(),
                                                  [&](const Chip& c) { return c.part == part; });
    const bool other_chip =
        hints.chips && !hints.chips->empty() && !named && !part.starts_with("pak");
    return Match{other_chip ? Confidence::possible : Confidence::likely, "system and size fit"};
  }
  if (*chip_size != size) return Match{Confidence::possible, "the chip fits, its size does not"};
  return hints.chips_from_header ? Match{Confidence::certain, "the ROM header names this chip"}
                                 : Match{Confidence::certain, "the catalog names this chip"};
}

tl::unexpected<Error> wrong_size(const LayoutInfo& info, std::uint64_t size) {
  std::vector<std::string> sizes;
  for (const std::uint64_t usual : info.file_sizes) sizes.push_back(size_text(usual));
  return fail(Trouble::input, Code::wrong_size,
              fmt::format("{} bytes is not a size of {}", grouped(size), info.id),
              fmt::format("{} files are {}, with at most {} bytes after it; is the file cut short?",
                          info.id, list_text(sizes), kTrailerLimit - 1));
}

Finding dropped_surroundings(std::uint64_t size) {
  return {Level::note,
          Code::trailer_dropped,
          fmt::format("{} unknown bytes around the save are not kept; they hold no progress", size),
          {"use ", Remedy::older_save, " with a file of the destination to keep its own"}};
}

}  // namespace bayswap
