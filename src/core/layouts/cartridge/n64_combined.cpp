#include "core/layouts/cartridge/n64_combined.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/cursor.h"
#include "core/bytes/fill.h"
#include "core/bytes/order.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/byte_order_evidence.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/n64/n64_pak_format.h"

namespace bayswap {
namespace {

struct Area {
  const char* part;
  std::size_t offset;
  std::size_t size;
  bool swapped;  // in the word-reversed form
};

constexpr std::array<Area, 7> kAreas{{
    {"eeprom", 0x00000, 0x00800, false},
    {"pak1", 0x00800, 0x08000, false},
    {"pak2", 0x08800, 0x08000, false},
    {"pak3", 0x10800, 0x08000, false},
    {"pak4", 0x18800, 0x08000, false},
    {"sram", 0x20800, 0x08000, true},
    {"flash", 0x28800, 0x20000, true},
}};
constexpr std::size_t kContainerSize = 0x48800;
constexpr std::size_t kSmallEeprom = 512;
constexpr std::byte kUnused = kErasedOnes;

// A 512-byte EEPROM fills the first quarter; the ROM or the erased rest tells.
std::size_t eeprom_size(ByteView area, const Hints& hints) {
  const ByteView rest = area.subspan(kSmallEeprom);
  if (const auto hinted = hinted_size(hints, "eeprom"); hinted && *hinted <= area.size())
    return is_erased(rest) ? static_cast<std::size_t>(*hinted) : area.size();
  return is_erased(rest) ? kSmallEeprom : area.size();
}

bool fits(ByteView file) {
  return file.size() >= kContainerSize && file.size() - kContainerSize < kTrailerLimit;
}

// Each of the four paks is formatted, or was never used.
bool paks_hold(ByteView file) {
  return std::ranges::all_of(kAreas, [&](const Area& area) {
    const ByteView stored = file.subspan(area.offset, area.size);
    return !std::string_view(area.part).starts_with("pak") || is_erased(stored) ||
           n64::pak_has_id(stored);
  });
}

}  // namespace

N64CombinedLayout::N64CombinedLayout(bool word_reversed) : word_reversed_(word_reversed) {
  info_.id = word_reversed ? "n64-combined-swap32" : "n64-combined";
  info_.system = System::n64;
  info_.summary = word_reversed ? "all chips and four paks in a row, SRAM and flash word-reversed"
                                : "all chips and four paks in a row, in the console's byte order";
  for (const Area& area : kAreas) info_.parts.emplace_back(area.part);
  info_.file_sizes = {kContainerSize};
}

std::optional<Match> N64CombinedLayout::recognise(ByteView file, const Hints& hints) const {
  if (!fits(file) || (hints.system && *hints.system != System::n64)) return std::nullopt;
  const Basis basis = paks_hold(file) ? Basis::structure : Basis::size;
  const ByteView chips = file.subspan(kAreas[5].offset, kAreas[5].size + kAreas[6].size);
  constexpr std::array<std::size_t, 2> kUnits{1, 4};
  const auto unit = judge_byte_order(chips, hints.words, kUnits);
  if (!unit)
    return word_reversed_
               ? Match{Confidence::likely, "the size fits, and this is the usual order", basis}
               : Match{Confidence::possible, "the size fits", basis};
  if (*unit == (word_reversed_ ? 4U : 1U))
    return Match{Confidence::certain, "size, and the content reads in this order",
                 std::max(basis, Basis::appearance)};
  return Match{Confidence::possible, "the size fits", basis};
}

Result<Content> N64CombinedLayout::read(ByteView file, const Hints& hints) const {
  if (!fits(file)) return wrong_size(info_, file.size());
  Save save;
  save.system = System::n64;
  for (const Area& area : kAreas) {
    const ByteView stored = file.subspan(area.offset, area.size);
    const bool eeprom = area.part == std::string_view("eeprom");
    Bytes chip(stored.begin(), stored.end());
    if (eeprom) chip.resize(eeprom_size(stored, hints));
    if (area.swapped && word_reversed_) reverse_units(chip, 4);
    save.parts.push_back(make_part(System::n64, area.part, std::move(chip)));
  }
  Content content;
  content.saves.push_back(std::move(save));
  const ByteView rest = file.subspan(kContainerSize);
  content.trailer.assign(rest.begin(), rest.end());
  return content;
}

Result<Written> N64CombinedLayout::write(const WriteRequest& request) const {
  if (request.saves.size() != 1 || request.saves.front().system != System::n64)
    return fail(Trouble::stopped, Code::no_match, fmt::format("{} holds one n64 save", info_.id));
  const Save& save = request.saves.front();
  Written written;
  if (request.mould) {
    if (!fits(*request.mould))
      return fail(Trouble::stopped, Code::mould_differs,
                  fmt::format("the file to imitate is not of the layout {}: {} bytes", info_.id,
                              grouped(request.mould->size())));
    written.bytes.assign(request.mould->begin(), request.mould->end());
  } else {
    written.bytes.assign(kContainerSize, kUnused);
  }
  add_losses(save, info_.parts, info_.id, written.losses);
  for (const Area& area : kAreas) {
    const Part* part = save.part(area.part);
    if (part == nullptr) continue;
    const std::span<std::byte> stored = std::span(written.bytes).subspan(area.offset, area.size);
    // Where the small EEPROM ends, the area keeps the value that it was erased with.
    const bool small = part->data.size() < area.size;
    const std::byte erased =
        small ? erased_value(ByteView(stored).subspan(part->data.size()), kUnused) : kUnused;
    auto chip = resized(*part, area.size, erased, written.losses);
    if (!chip) {
      chip = part->data;
      chip->resize(area.size);
    }
    if (area.swapped && word_reversed_) reverse_units(*chip, 4);
    std::copy(chip->begin(), chip->end(), stored.begin());
  }
  return written;
}

}  // namespace bayswap
