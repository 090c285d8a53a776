// Saves of memory cards to be carried: found on cards, in files and in folders.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "moves/carry_source.h"
#include "reading/bay_scan.h"

namespace bayswap {

/// The saves of cards that a text names: a card (all of its saves), `CARD:NAME`, a file or folder
/// of one save. Nothing when it names something else, or a card that moves whole: as the part of a
/// cartridge's save, to a bay that keeps such parts.
[[nodiscard]] Result<std::optional<std::vector<Source>>> read_card_sources(Session& session,
                                                                           const Bay& to,
                                                                           const std::string& text,
                                                                           const std::string& is);

/// Nanoseconds since 1970.
[[nodiscard]] std::int64_t ns_of(Time time);

/// The saves on the cards of a bay's shelves.
[[nodiscard]] std::vector<Source> read_shelf_cards(Session& session, BayScan& scan);

}  // namespace bayswap
