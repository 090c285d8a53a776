// A planned change of one card file, done as a move that undo() takes back.
#pragma once

#include <future>
#include <string>

#include "cards/open_card.h"
#include "moves/mover.h"

namespace bayswap {

struct PlannedChange {
  Bytes card;                                 ///< after the change
  std::shared_future<ContentDigests> before;  ///< of the file as it was read
};

/// Why the card must not be changed; empty when it is sound.
[[nodiscard]] Findings card_damage(const OpenCard& card);

/// Writes the changed card in one step: kept in history, read back, validated and compared with
/// the plan. Gives the name of the move.
[[nodiscard]] Result<std::string> write_change(Session& session, const OpenCard& card,
                                               PlannedChange change, const std::string& kind,
                                               const std::string& source, const std::string& title);

}  // namespace bayswap
