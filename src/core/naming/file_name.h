// Names of files made out of names that games and people chose.
#pragma once

#include <string>
#include <string_view>

namespace bayswap {

/// A name that any file system takes: what it cannot hold becomes `_`.
[[nodiscard]] std::string safe_file_name(std::string_view name);

}  // namespace bayswap
