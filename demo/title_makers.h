// Makers of the demo world's folders of saves: what consoles keep under a title.
#pragma once

#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "bayswap/bytes.h"
#include "demo/art.h"

namespace bayswap::demo {

/// Relative paths and contents.
using Files = std::vector<std::pair<std::string, Bytes>>;

/// PARAM.SFO with these texts, in the order of their keys, and one number.
[[nodiscard]] Bytes param_sfo(const std::string& title, const std::string& save_title,
                              const std::string& detail, const std::string& directory);

/// The folder of a psp save.
[[nodiscard]] Files psp_save(const std::string& directory, const std::string& save_title,
                             const std::string& detail, std::uint32_t seed);

/// The `data` folder of a wii title.
[[nodiscard]] Files wii_save(std::string_view title, std::string_view second, std::uint32_t seed);

/// Files of a title that says nothing of itself.
[[nodiscard]] Files plain_save(std::string_view game, const std::vector<std::string>& names,
                               std::uint32_t seed);

/// A package of x360 saves, signed by nobody.
[[nodiscard]] Bytes x360_package(std::string_view magic, std::uint64_t profile,
                                 std::string_view display_name, Art art, const Files& files);

}  // namespace bayswap::demo
