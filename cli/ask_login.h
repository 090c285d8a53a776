// Names, passwords and words, asked for at the terminal.
#pragma once

#include <optional>
#include <string>

#include "bayswap/login.h"

namespace bayswap::cli {

/// Asks the person at the terminal; what is typed as the password is not shown. Nothing where there
/// is not a terminal, or nothing is typed.
[[nodiscard]] std::optional<ShareLogin> ask_login(const std::string& where);

/// The words of a sealed hub: from BAYSWAP_HUB_WORDS, or typed; they are not shown.
[[nodiscard]] std::optional<std::string> ask_words();

}  // namespace bayswap::cli
