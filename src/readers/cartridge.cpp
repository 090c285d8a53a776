#include "readers/cartridge.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kSmallestRom = 16U << 10U;
constexpr std::uint64_t kLargestRom = 512U << 20U;
constexpr std::uint64_t kSmallestChip = 512;
constexpr std::uint64_t kLargestChip = 16U << 20U;
constexpr int kSteadyReadings = 6;
constexpr Milliseconds kSwitchLook{500};

// Where a system's headers may lie, in bytes.
struct HeaderPlace {
  std::size_t at = 0;
  std::size_t size = 0;
};

std::vector<HeaderPlace> header_places(System system) {
  constexpr std::size_t kBeginning = 4096;
  constexpr std::size_t kHeader = 256;
  std::vector<HeaderPlace> places{{0, kBeginning}};
  const auto ends_at = [&](std::size_t end) { places.push_back({end - kHeader, kHeader}); };
  if (system == System::snes)
    for (const std::size_t end : {0x8000U, 0x10000U}) ends_at(end);
  if (system == System::sms)
    for (const std::size_t end : {0x2000U, 0x4000U, 0x8000U}) ends_at(end);
  return places;
}

}  // namespace

Result<Cartridge> Cartridge::open(Link link, CartridgeWatch watch) {
  Cartridge cartridge(CartridgeReader(std::move(link)), std::move(watch));
  auto info = cartridge.reader_.hello();
  if (!info) return tl::unexpected(info.error());
  cartridge.info_ = std::move(*info);
  auto slot = cartridge.reader_.probe();
  if (!slot) return tl::unexpected(slot.error());
  if (!slot->present)
    return fail(Trouble::place, Code::no_cartridge,
                fmt::format("{}: no cartridge is in it", safe_text(cartridge.info_.name)),
                "put one in, straight and all the way down");
  cartridge.slot_ = *slot;
  if (auto set = cartridge.set_volts(); !set) return tl::unexpected(set.error());
  if (auto on = cartridge.reader_.power(true); !on) return tl::unexpected(on.error());
  auto areas = cartridge.reader_.areas(cartridge.slot_.session);
  if (!areas) return tl::unexpected(areas.error());
  cartridge.areas_ = std::move(*areas);
  if (auto read = cartridge.read_header(); !read) return tl::unexpected(read.error());
  return cartridge;
}

const CartridgeArea* Cartridge::area(std::string_view name) const {
  const auto found = std::ranges::find(areas_, name, &CartridgeArea::name);
  return found == areas_.end() ? nullptr : &*found;
}

void Cartridge::know_size(std::string_view name, std::uint64_t size) {
  for (CartridgeArea& area : areas_)
    if (area.name == name && !area.size) area.size = size;
}

Result<void> Cartridge::set_volts() {
  const int wanted = volts_of(slot_.system);
  if (info_.volts_mv == wanted) return {};
  if (std::ranges::find(info_.can_volts_mv, wanted) == info_.can_volts_mv.end())
    return fail(
        Trouble::place, Code::wrong_volts,
        fmt::format("{} cartridges take {:.1f} V, and this reader can't give it: nothing was "
                    "powered",
                    to_string(slot_.system), wanted / 1000.0),
        "use a reader for this system");
  if (!info_.volts_by_switch) {
    if (auto set = reader_.set_volts(wanted); !set) return set;
    info_.volts_mv = wanted;
    return {};
  }
  while (info_.volts_mv != wanted) {
    if (!watch_.wait_for_switch || !watch_.wait_for_switch(wanted))
      return fail(Trouble::place, Code::wrong_volts,
                  fmt::format("{} cartridges take {:.1f} V, and the reader's switch stands at "
                              "{:.1f} V: nothing was powered",
                              to_string(slot_.system), wanted / 1000.0, info_.volts_mv / 1000.0),
                  fmt::format("move the switch to {:.1f} V, and try again", wanted / 1000.0));
    reader_.link().transport().pause(kSwitchLook);
    auto info = reader_.hello();
    if (!info) return tl::unexpected(info.error());
    info_.volts_mv = info->volts_mv;
  }
  return {};
}

Result<void> Cartridge::read_header() {
  const CartridgeArea* rom = area("rom");
  if (rom == nullptr) return {};
  for (const HeaderPlace& place : header_places(slot_.system)) {
    const std::size_t end = place.at + place.size;
    if (rom->size && end > *rom->size) break;
    header_.resize(std::max(header_.size(), end));
    for (std::size_t at = place.at; at < end; at += info_.chunk) {
      auto bytes = steady(*rom, at, std::min(info_.chunk, end - at));
      if (!bytes) return tl::unexpected(bytes.error());
      if (!*bytes) {
        header_.resize(place.at);
        return {};
      }
      std::ranges::copy(**bytes, header_.begin() + static_cast<std::ptrdiff_t>(at));
    }
  }
  return {};
}

Result<std::optional<Bytes>> Cartridge::steady(const CartridgeArea& area, std::uint64_t at,
                                               std::size_t size) {
  std::optional<Bytes> last;
  for (int i = 0; i < kSteadyReadings; ++i) {
    auto bytes = reader_.read(area, at, size, slot_.session);
    if (!bytes) return tl::unexpected(bytes.error());
    if (!*bytes) return std::optional<Bytes>{};
    if (last && *last == **bytes) return std::move(*bytes);
    contacts_steady_ = contacts_steady_ && !last;
    last = std::move(*bytes);
  }
  return fail(Trouble::input, Code::unsteady,
              "the cartridge reads differently each time: the contacts are dirty, or it is loose",
              "take it out, clean the contacts with a little alcohol, let them dry, and put it "
              "back in straight");
}

// An area repeats behind its end, or there is nothing more.
Result<std::uint64_t> Cartridge::size_by_repeat(const CartridgeArea& area) {
  const std::uint64_t smallest = area.chip.empty() ? kSmallestRom : kSmallestChip;
  const std::uint64_t largest = area.chip.empty() ? kLargestRom : kLargestChip;
  const auto probe =
      static_cast<std::size_t>(std::min<std::uint64_t>({info_.chunk, 1024, smallest / 4}));
  const auto unknown = [] {
    return fail(Trouble::input, Code::wrong_size, "it can't be told how large the area is",
                "name the game's chip in the catalog");
  };
  const auto start = steady(area, 0, probe);
  if (!start) return tl::unexpected(start.error());
  // Bytes that are all alike repeat everywhere.
  if (!*start || std::ranges::all_of(**start, [&](std::byte one) { return one == (**start)[0]; }))
    return unknown();
  // Beginnings may be alike by chance: other places have to repeat as well.
  const auto repeats = [&](std::uint64_t size, std::uint64_t at) -> Result<bool> {
    const auto here = steady(area, at, probe);
    if (!here) return tl::unexpected(here.error());
    const auto there = steady(area, size + at, probe);
    if (!there) return tl::unexpected(there.error());
    return !*there || *here == *there;
  };
  for (std::uint64_t size = smallest; size < largest; size *= 2) {
    bool all = true;
    for (const std::uint64_t at : {std::uint64_t{0}, size / 2, size / 4, size - probe}) {
      const auto one = repeats(size, at);
      if (!one) return tl::unexpected(one.error());
      all = all && *one;
      if (!all) break;
    }
    if (all) return size;
  }
  return unknown();
}

Result<void> Cartridge::cycle_power() {
  constexpr Milliseconds kOff{300};
  if (auto off = reader_.power(false); !off) return off;
  reader_.link().transport().pause(kOff);
  if (auto on = reader_.power(true); !on) return on;
  const auto slot = reader_.probe();
  if (!slot) return tl::unexpected(slot.error());
  if (!slot->present)
    return fail(Trouble::place, Code::no_cartridge, "the cartridge was taken out",
                "put it back in, straight and all the way down");
  if (slot->session == slot_.session) return {};
  // A reader that can't see the slot without power begins a new session: the header tells.
  slot_.session = slot->session;
  const Bytes before = std::exchange(header_, {});
  if (slot->system == slot_.system)
    if (auto read = read_header(); !read) return read;
  if (header_ == before) return {};
  return fail(Trouble::place, Code::other_cartridge, "another cartridge is in the reader now",
              "put the first one back in, and begin again");
}

}  // namespace bayswap
