// Rules of save chips that more than one layout needs: blank, equal, resized.
#pragma once

#include <cstdint>
#include <string_view>

#include "bayswap/finding.h"
#include "bayswap/layout.h"

namespace bayswap {

/// Unknown bytes behind a body are taken for a trailer below this size, in bytes.
inline constexpr std::uint64_t kTrailerLimit = 256;
/// The longest text behind a chip that is taken for a program's trailer, in bytes.
inline constexpr std::uint64_t kTextTrailerLimit = 4096;

/// The 512×4-bit chip of the gb family: one nibble a byte.
inline constexpr std::uint64_t kNibbleChipSize = 512;
[[nodiscard]] bool is_nibble_chip(System system, std::string_view part, std::size_t size);

[[nodiscard]] Part make_part(System system, std::string name, Bytes data);

/// The chip's bytes at another capacity: grown with the erased value, or shrunk where the rest is
/// erased or repeats the start. What does not fit is added to `losses` and nothing is returned.
[[nodiscard]] std::optional<Bytes> resized(const Part& part, std::uint64_t size, std::byte erased,
                                           Findings& losses);

/// The finding for a part that a layout has no place for.
[[nodiscard]] Finding lost_part(const Part& part, std::string_view layout);

/// Losses for every part that holds something and is not in `kept`.
void add_losses(const Save& save, const std::vector<std::string>& kept, std::string_view layout,
                Findings& losses);

/// The capacity that the hints give for a part; nothing when they do not tell.
[[nodiscard]] std::optional<std::uint64_t> hinted_size(const Hints& hints, std::string_view part);

/// How well a layout that holds `part` in `size` bytes fits the hints; nothing when it cannot.
[[nodiscard]] std::optional<Match> match_by_hints(System system, std::string_view part,
                                                  std::uint64_t size, const Hints& hints);

/// The error of a file whose size fits no form of a layout.
[[nodiscard]] tl::unexpected<Error> wrong_size(const LayoutInfo& info, std::uint64_t size);

/// The note about unknown bytes around a body that a new file does not get.
[[nodiscard]] Finding dropped_surroundings(std::uint64_t size);

}  // namespace bayswap
