// The allocation table of a ps2 card, made again where it is lost.
#pragma once

#include <set>

#include "bayswap/finding.h"
#include "core/layouts/ps2/ps2_format.h"

namespace bayswap::ps2 {

/// Puts right where the superblock and the indirect clusters say that the table lies, when the
/// usual places hold it; and fills in the parts of the table that are lost, from the directories:
/// their entries say where each file begins and how long it is, and a console gives out clusters in
/// order. Changes `plain` and `geometry`, and adds a finding for each. Gives the clusters whose
/// links are made again: they may be wrong where files were deleted and written many times.
[[nodiscard]] std::set<std::uint32_t> rebuild_table(Bytes& plain, Geometry& geometry,
                                                    Findings& findings);

}  // namespace bayswap::ps2
