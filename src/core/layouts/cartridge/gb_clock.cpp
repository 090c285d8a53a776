#include "core/layouts/cartridge/gb_clock.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/cartridge/clock.h"

namespace bayswap {
namespace {

// 0: the cartridge type with a clock and no RAM, whose save is the clock alone.
constexpr std::array<std::size_t, 6> kBodies{0x8000, 0x2000, 0x800, 0x10000, 0x20000, 0};

std::optional<std::size_t> body_of(std::size_t file, std::size_t clock) {
  for (const std::size_t body : kBodies)
    if (file == body + clock) return body;
  return std::nullopt;
}

}  // namespace

GbClockLayout::GbClockLayout(std::size_t width) : width_(width) {
  info_.id = fmt::format("gb-battery-clock{}", width);
  info_.system = System::gb;
  info_.summary =
      fmt::format("cartridge RAM, then the clock with its time in {} bytes", width - 40);
  info_.parts = {"sram", "clock"};
  for (const std::size_t body : kBodies) info_.file_sizes.push_back(body + width);
}

std::optional<Match> GbClockLayout::recognise(ByteView file, const Hints& hints) const {
  const auto body = body_of(file.size(), width_);
  if (!body || !looks_like_clock(file.subspan(*body))) return std::nullopt;
  if (hints.system && *hints.system != System::gb) return std::nullopt;
  const bool clock_expected = hinted_size(hints, "clock").has_value();
  if (clock_expected)
    return Match{Confidence::certain, "the cartridge has a clock", Basis::structure};
  const bool blank = clock_is_blank(file.subspan(*body));
  return Match{blank ? Confidence::possible : Confidence::likely,
               "the bytes after the chip are a clock", blank ? Basis::size : Basis::structure};
}

Result<Content> GbClockLayout::read(ByteView file, const Hints&) const {
  const auto body = body_of(file.size(), width_);
  if (!body) return wrong_size(info_, file.size());
  const ByteView clock = file.subspan(*body);
  if (!looks_like_clock(clock))
    return fail(Trouble::input, Code::damaged,
                fmt::format("the last {} bytes are no clock: {}", width_,
                            "a register holds more than one byte"),
                "read it as gb-battery to take the chip alone");
  Content content;
  Save save;
  save.system = System::gb;
  const auto copy = [](ByteView bytes) { return Bytes(bytes.begin(), bytes.end()); };
  if (*body > 0) save.parts.push_back(make_part(System::gb, "sram", copy(file.first(*body))));
  save.parts.push_back(make_part(System::gb, "clock", copy(clock)));
  content.saves.push_back(std::move(save));
  content.findings = judge_clock(clock);
  return content;
}

Result<Written> GbClockLayout::write(const WriteRequest& request) const {
  if (request.saves.size() != 1 || request.saves.front().system != System::gb)
    return fail(Trouble::stopped, Code::no_match, fmt::format("{} holds one gb save", info_.id));
  const Save& save = request.saves.front();
  const Part* ram = save.part("sram");
  const Part* clock = save.part("clock");
  if (ram == nullptr && clock == nullptr)
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("the save has neither sram nor clock to write as {}", info_.id));
  Written written;
  add_losses(save, info_.parts, info_.id, written.losses);
  std::uint64_t size = ram == nullptr ? 0 : ram->data.size();
  Bytes kept_clock(width_, kErasedZero);
  if (request.mould) {
    const auto body = body_of(request.mould->size(), width_);
    if (!body)
      return fail(Trouble::stopped, Code::mould_differs,
                  fmt::format("the file to imitate is not of the layout {}: {} bytes", info_.id,
                              grouped(request.mould->size())));
    size = *body;
    const ByteView mould_clock = request.mould->subspan(*body);
    kept_clock.assign(mould_clock.begin(), mould_clock.end());
  } else if (const auto hinted = hinted_size(request.hints, "sram"); hinted && ram != nullptr) {
    size = *hinted;
  }
  if (!body_of(static_cast<std::size_t>(size) + width_, width_))
    return fail(Trouble::stopped, Code::chip_differs,
                fmt::format("a chip of {} has no clock beside it", size_text(size)));
  if (ram != nullptr) {
    auto body = resized(*ram, size, kErasedOnes, written.losses);
    written.bytes =
        body ? *body
             : Bytes(ram->data.begin(), ram->data.begin() + static_cast<std::ptrdiff_t>(size));
  } else if (request.mould) {
    written.bytes.assign(request.mould->begin(),
                         request.mould->begin() + static_cast<std::ptrdiff_t>(size));
  }
  if (clock != nullptr) {
    kept_clock = clock_as(clock->data, width_, written.losses);
  } else if (!request.mould) {
    written.notes.push_back(
        {Level::warn,
         Code::clock_unset,
         "the source has no clock, so the new file starts with a clock at zero",
         {"set the clock in the game, or use ", Remedy::older_save, " with a file that has one"}});
  }
  written.bytes.insert(written.bytes.end(), kept_clock.begin(), kept_clock.end());
  return written;
}

}  // namespace bayswap
