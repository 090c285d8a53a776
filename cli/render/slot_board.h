// Slot boards as one picture.
#pragma once

#include <vector>

#include "bayswap/result.h"
#include "bayswap/slots.h"
#include "bayswap/state.h"

namespace bayswap::cli {

/// Slots from 0 up in rows of ten; those without a number come first.
struct BoardRows {
  std::vector<std::vector<const StateSlot*>> rows;  ///< ten each; null: nothing in the slot
  std::vector<unsigned> first;                      ///< number of each row's first cell
};
[[nodiscard]] BoardRows rows_of(const SlotBoard& board);

/// `2026-11-28`, and `03:32`, in UTC.
[[nodiscard]] std::string day_text(std::int64_t ns);
[[nodiscard]] std::string clock_text(std::int64_t ns);

/// A PNG about 1280 pixels wide. Errors: `picture-failed`.
[[nodiscard]] Result<Bytes> board_png(const std::vector<SlotBoard>& boards);

}  // namespace bayswap::cli
