#include "places/chip_shelves.h"

#include <algorithm>
#include <array>
#include <set>

#include "bayswap/card.h"
#include "bayswap/layout.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

// The usual extensions of files that are named after the chip in them.
struct ChipExtension {
  std::string_view part;
  std::string_view extension;
};
constexpr std::array<ChipExtension, 4> kKin{
    {{"eeprom", ".eep"}, {"sram", ".sra"}, {"flash", ".fla"}, {"pak", ".mpk"}}};

std::string extension_of(const std::string& pattern) {
  const std::size_t dot = pattern.rfind('.');
  const bool own =
      dot != std::string::npos && pattern.find_first_of("/}", dot) == std::string::npos;
  return own ? pattern.substr(dot) : std::string();
}

const ChipExtension* kin_of(const std::string& extension) {
  const auto found = std::ranges::find(kKin, lower_ascii(extension), &ChipExtension::extension);
  return found == kKin.end() ? nullptr : &*found;
}

std::string order_of(const std::string& layout) {
  for (const std::string_view order : {"-swap32", "-swap16", "-reversed"})
    if (layout.ends_with(order)) return std::string(order);
  return {};
}

// Layouts of the part alone, in one byte order where the chip is found in it.
std::vector<std::string> layouts_of(System system, const std::string& part,
                                    const std::set<std::string>& orders) {
  std::vector<std::string> alike;
  std::vector<std::string> native;
  for (const auto& layout : layouts().all()) {
    const LayoutInfo& info = layout->info();
    if (info.system != system || !holds_chips(*layout) || info.parts.size() != 1 ||
        info.parts.front() != part)
      continue;
    const std::string order = order_of(info.id);
    if (!order.empty() && orders.contains(order)) alike.push_back(info.id);
    if (order.empty()) native.push_back(info.id);
  }
  return alike.empty() ? native : alike;
}

}  // namespace

std::vector<Shelf> shelves_by_habit(const Bay& bay, System system, const std::string& part) {
  std::vector<const Shelf*> known;
  std::set<std::string> extensions;
  std::set<std::string> orders;
  for (const Shelf& shelf : bay.shelves) {
    if (shelf.kind != Kind::battery || shelf.system != system) continue;
    known.push_back(&shelf);
    extensions.insert(extension_of(shelf.pattern));
    for (const std::string& id : shelf.layout) orders.insert(order_of(id));
  }
  const bool kin = !extensions.empty() &&
                   std::ranges::all_of(
                       extensions, [](const std::string& one) { return kin_of(one) != nullptr; });
  std::vector<Shelf> shelves;
  if (!kin && extensions.size() != 1) return shelves;
  const auto own = std::ranges::find(kKin, part, &ChipExtension::part);
  if (kin && own == kKin.end()) return shelves;
  for (const Shelf* shelf : known) {
    Shelf like = *shelf;
    like.layout = layouts_of(system, part, orders);
    if (kin) {
      const std::string old = extension_of(like.pattern);
      const bool capitals = old == upper_ascii(old);
      like.pattern.resize(like.pattern.size() - old.size());
      like.pattern += capitals ? upper_ascii(own->extension) : std::string(own->extension);
    }
    const bool twice = std::ranges::any_of(
        shelves, [&](const Shelf& other) { return other.pattern == like.pattern; });
    if (!twice && !like.layout.empty()) shelves.push_back(std::move(like));
  }
  return shelves;
}

}  // namespace bayswap
