// A memory card in a file, opened and read.
//
// A card is named by its path, or by `FILE:PART` for one inside a container (`game.srm:pak1`).
//
// Library bayswap_reading. Calls use a session: one thread at a time for each session.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "bayswap/card.h"
#include "bayswap/session.h"

#pragma GCC visibility push(default)

namespace bayswap {

struct ShownCard {
  std::string name;  ///< as the user named it
  std::uint64_t size = 0;
  const CardLayout* layout = nullptr;
  Confidence confidence = Confidence::certain;
  Card card;  ///< games bear the catalog's titles
};

/// `is`: layout id that the user says; may be empty. Errors: `missing`, `no-match` when it is no
/// card, `damaged`.
[[nodiscard]] Result<ShownCard> show_card(Session& session, const std::string& card,
                                          const std::string& is);

/// The card save that `CARD:NAME` means; nothing when the text is not such a name.
[[nodiscard]] Result<std::optional<Save>> save_by_name(Session& session, const std::string& text,
                                                       const std::string& is);

}  // namespace bayswap

#pragma GCC visibility pop
