// Changes of a ps2 card's file system.
#pragma once

#include <optional>
#include <vector>

#include "bayswap/card.h"
#include "core/layouts/ps2/ps2_volume.h"

namespace bayswap::ps2 {

/// The plain bytes of a new card.
[[nodiscard]] Bytes format_volume(const Geometry& geometry);

/// Frees a save's clusters and marks its entries as deleted.
void drop_save(Volume& volume, const Tree& tree);

/// Why a save cannot stand on a ps2 card at all.
[[nodiscard]] std::optional<Error> unfit(const Save& save);

/// Clusters that a save takes, its directories among them.
[[nodiscard]] std::uint32_t clusters_for(const Save& save);

/// Adds a save, without touching deleted ones as long as there is other room. `purged` receives
/// the deleted saves that were written over. Errors: `no-room` (without its text).
[[nodiscard]] bool put_save(Volume& volume, const Save& save, std::vector<Tree>& deleted,
                            std::vector<Tree>& purged);

}  // namespace bayswap::ps2
