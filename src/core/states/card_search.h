// Memory cards inside a larger run of bytes, by their own marks and checks.
#pragma once

#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/card.h"

namespace bayswap {

struct CardSighting {
  const CardLayout* layout = nullptr;
  std::size_t offset = 0;
  std::size_t size = 0;  ///< bytes
};

/// Cards that the strict look finds sound, in order. `wanted`: only of this layout; null: of all.
[[nodiscard]] std::vector<CardSighting> cards_in(ByteView content, const CardLayout* wanted);

/// Where a card of the system may begin by its mark, in the first `most` bytes. Empty for systems
/// whose cards have no mark of their own.
[[nodiscard]] std::vector<std::size_t> marks_of(System system, ByteView content, std::size_t most);

}  // namespace bayswap
