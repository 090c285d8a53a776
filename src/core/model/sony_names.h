// Names of saves on Sony cards: region prefix, product code, identifier (`BASLUS-00123TIDE`).
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "bayswap/game.h"

namespace bayswap {

struct SonyName {
  std::string prefix;      ///< `BA`, `BE` or `BI`
  std::string serial;      ///< `SLUS-00123`
  std::string identifier;  ///< what the game adds
};

/// The pieces of a save's name; nothing when it is not built like one.
[[nodiscard]] std::optional<SonyName> split_sony_name(std::string_view name);

/// Four capital letters and five digits, with or without a hyphen between them.
[[nodiscard]] bool is_serial(std::string_view text);

/// Four capital letters, a hyphen and five digits.
[[nodiscard]] bool is_sony_serial(std::string_view serial);

[[nodiscard]] Region region_of_serial(std::string_view serial);

/// The prefix of names of saves in a region.
[[nodiscard]] std::string_view sony_prefix(Region region);

/// Serial and region of a save by its name.
void add_sony_game(std::string_view save_name, Game& game);

}  // namespace bayswap
