// Saves of the demo world that have field maps, and the maps.
#pragma once

#include <string_view>
#include <vector>

#include "bayswap/bytes.h"

namespace bayswap::demo {

/// gb, 8 KiB: baskets, weather and trees, with three checksums that depend on each other.
[[nodiscard]] Bytes orchard_book();
/// Makes its checksums right.
void make_orchard_sums(Bytes& book);
/// gba flash of 64 KiB: two copies of four sectors that stand one further with each write.
[[nodiscard]] Bytes motor_log();
/// snes, 8 KiB: four travellers whose blocks are masked and stand in an order by their key.
[[nodiscard]] Bytes drift_party();
/// nes, 8 KiB: letters of the game's own, BCD, bit fields and times.
[[nodiscard]] Bytes atlas_page();

struct NamedMap {
  std::string_view file;
  std::string_view text;
};
[[nodiscard]] std::vector<NamedMap> field_maps();

}  // namespace bayswap::demo
