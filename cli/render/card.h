// A memory card at a glance: its saves with their pictures, and a map of its blocks.
#pragma once

#include <string>

#include "bayswap/card_file.h"
#include "cli/render/style.h"

namespace bayswap::cli {

[[nodiscard]] std::string card_text(const ShownCard& shown, const Style& style);

/// The saves that go, with pictures and titles, then the report.
[[nodiscard]] std::string drop_text(const DropReport& drop, const Style& style);

[[nodiscard]] std::string mend_text(const MendReport& report, const std::string& card,
                                    const Style& style);

}  // namespace bayswap::cli
