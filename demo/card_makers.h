// Makers of the demo world's memory cards: saves with titles, pictures and progress.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "bayswap/card.h"
#include "demo/art.h"

namespace bayswap::demo {

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

/// A save of a dc card with two icons and, for `eyecatch`, the picture of a slower menu.
[[nodiscard]] Save dc_save(const std::string& name, std::string_view short_text,
                           std::string_view long_text, std::size_t size, Art art, bool eyecatch,
                           std::uint32_t seed);
/// The card's own icon, in colours and in black and white.
[[nodiscard]] Save dc_icon_file(Art art);

/// A save of saturn backup memory.
[[nodiscard]] Save saturn_save(const std::string& name, const std::string& comment,
                               std::size_t size, std::uint32_t seed);

/// An entry of pce backup memory.
[[nodiscard]] Save pce_save(const std::string& name, std::size_t size, std::uint32_t seed);

/// A card with these saves, written by its layout. Empty when they do not fit.
[[nodiscard]] Bytes card_with(std::string_view layout, std::uint32_t blocks,
                              const std::vector<Save>& saves);

/// The same card without one save, as a console deletes it.
[[nodiscard]] Bytes card_without(std::string_view layout, const Bytes& card, std::size_t place);

}  // namespace bayswap::demo
