// The ways in which a card says no, worded once for all families.
#pragma once

#include <string_view>

#include "bayswap/card.h"

namespace bayswap {

/// `no-room`: how many blocks are missing, and what could be dropped to make room.
[[nodiscard]] Error no_room(const Save& save, std::uint32_t needed, const Card& card);
[[nodiscard]] Error no_free_entry(const Save& save, std::size_t entries);
[[nodiscard]] Error name_taken(const Save& save);
/// The save is of another family of cards, or not built as this one needs.
[[nodiscard]] Error wrong_save(const Save& save, std::string_view why);
[[nodiscard]] Error wrong_capacity(const CardInfo& info, std::uint32_t blocks);
/// The file does not have a card's size.
[[nodiscard]] Finding cut_short(std::uint64_t size, std::uint64_t whole);

/// Some of the save lies past the end of the file.
[[nodiscard]] Finding runs_out(const Save& save);

[[nodiscard]] Finding damaged(std::string text);
/// `no-match`: a change that drops a save at a place where the card has none. Nothing when all are
/// there.
[[nodiscard]] std::optional<Error> no_such_place(const CardChange& change, std::size_t count);

/// What a validator finds: an error, or a warning for what the card's redundancy still covers.
[[nodiscard]] Finding spare_lost(std::string text);
/// A save that the card holds soundly, though its game will hardly read it: a warning.
[[nodiscard]] Finding odd_save(const Save& save, std::string_view what);
/// Blocks that are marked used, though no save claims them. They may be what is left of one.
[[nodiscard]] Finding stray_blocks(std::uint64_t count);
/// A deleted save whose blocks or entry were used again.
[[nodiscard]] Finding no_longer_recoverable(const Save& save);

}  // namespace bayswap
