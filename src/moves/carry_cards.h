// Saves of memory cards in a carry: found on cards, in files and folders, and brought to a bay's
// cards.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "moves/carry_source.h"
#include "moves/carry_target.h"

namespace bayswap {

/// The saves of cards that a text names: a card (all of its saves), `CARD:NAME`, a file or folder
/// of one save. Nothing when it names something else, or a card that moves whole: as the part of a
/// cartridge's save, to a bay that keeps such parts.
[[nodiscard]] Result<std::optional<std::vector<Source>>> read_card_sources(Session& session,
                                                                           const Bay& to,
                                                                           const std::string& text,
                                                                           const std::string& is);

/// The saves on the cards of a bay's shelf.
[[nodiscard]] std::vector<Source> read_shelf_cards(Session& session, const Bay& bay);

/// Cards that a plan has changed in memory already.
using PlannedCards = std::map<std::string, Bytes>;

/// Chooses the bay's card, or file, for one save of a card, and makes the bytes. Adds `no-match`,
/// `region-differs`, `damaged` and `no-room` to the checks when it cannot.
[[nodiscard]] Result<std::optional<TargetFile>> make_card_target(
    Session& session, RomFolders& folders, const Bay& bay, const Source& source,
    const PlannedCards& planned, Checks& checks);

}  // namespace bayswap
