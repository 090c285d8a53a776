// What people read.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/carry.h"
#include "bayswap/layout.h"
#include "bayswap/look.h"
#include "bayswap/reshape.h"
#include "cli/render/style.h"

namespace bayswap::cli {

/// A title that has no name: `title 58360801`.
[[nodiscard]] std::string title_id_text(const Game& game);

[[nodiscard]] std::string item_text(const Item& item, const Style& style);
/// What to type next after a look at one file or folder; empty where a finding says it, or where
/// nothing is sure enough.
[[nodiscard]] std::string next_step_text(const Item& item, const Style& style);
[[nodiscard]] std::string differences_text(const std::vector<PartDifference>& differences,
                                           const Style& style);
[[nodiscard]] std::string reshaped_text(const Reshaped& reshaped, const Style& style);
/// The game's title; else what the save says of itself; else its name on the card, or its file.
[[nodiscard]] std::string title_of(const MoveReport& move);

/// What a report of moves is about.
enum class Doing { carrying, undoing, putting, dropping, restoring, writing };

/// What was understood of a place that is not a bay, and how to keep that.
[[nodiscard]] std::string understood_text(const PlaceReport& place, const Style& style);

/// What learning a bay again changed of its shelves.
[[nodiscard]] std::string changes_text(const std::vector<Shelf>& before,
                                       const std::vector<Shelf>& now, const Style& style);

[[nodiscard]] std::string report_text(const CarryReport& report, const Style& style, Doing doing);
[[nodiscard]] std::string bay_text(const Bay& bay, const Style& style, bool surveyed);
[[nodiscard]] std::string layouts_text(const Style& style);
[[nodiscard]] std::string error_text(const Error& error, const Style& style);

/// What a card's save says about itself, its lines joined, safe for a terminal.
[[nodiscard]] std::string one_line(const std::string& comment);

}  // namespace bayswap::cli
