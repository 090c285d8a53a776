// The strict look at a ps2 card, apart from its reader and writer.
#pragma once

#include "bayswap/bytes.h"
#include "bayswap/finding.h"
#include "core/layouts/ps2/ps2_pages.h"

namespace bayswap {

[[nodiscard]] Findings validate_ps2(ByteView file);
/// The same of pages that were read already.
[[nodiscard]] Findings validate_ps2(const ps2::Pages& pages);

}  // namespace bayswap
