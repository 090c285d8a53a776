// Makers of the demo world's memory cards: saves with titles, pictures and progress.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "bayswap/card.h"

namespace bayswap::demo {

enum class Art { moon, tower, star, kite, forge, wave };

/// A save of a ps1 card. The title is Shift-JIS.
[[nodiscard]] Save ps1_save(const std::string& name, std::string_view title, std::size_t blocks,
                            Art art, std::uint32_t seed);

/// A save of a ps2 card, its title in two lines, before a sky of a colour.
[[nodiscard]] Save ps2_save(const std::string& name, const std::string& first_line,
                            const std::string& second_line, std::size_t size, std::uint32_t sky,
                            std::uint32_t seed);

/// A save of a gc card with a banner and two icons.
[[nodiscard]] Save gc_save(const std::string& code, const std::string& name,
                           const std::string& first_line, const std::string& second_line,
                           std::size_t blocks, Art art, std::uint32_t seed);

/// A card with these saves, written by its layout. Empty when they do not fit.
[[nodiscard]] Bytes card_with(std::string_view layout, std::uint32_t blocks,
                              const std::vector<Save>& saves);

/// The same card without one save, as a console deletes it.
[[nodiscard]] Bytes card_without(std::string_view layout, const Bytes& card, std::size_t place);

}  // namespace bayswap::demo
