// Which layouts hold which parts: shared by splitting, joining and carrying.
#pragma once

#include <string>
#include <vector>

#include "bayswap/layout.h"

namespace bayswap {

/// `pak3` is a pak like `pak1`: the name that layouts of single parts use.
[[nodiscard]] std::string part_base(std::string_view part);

/// The layout that stores this one part in the hardware's own order; null when there is none.
[[nodiscard]] const Layout* native_layout(System system, const Part& part);

/// A copy of the save that holds only what the layout can store. For a layout of one pak, the first
/// pak that holds something (else the first) takes the part name of the layout; its own name is
/// given in `taken`.
[[nodiscard]] Save only_for(const Save& save, const Layout& layout,
                            std::vector<std::string>& taken);

/// Layouts that store the same parts in the same order at another capacity, `layout` first.
[[nodiscard]] std::vector<const Layout*> sizes_of(const Layout& layout);

}  // namespace bayswap
