// Accounts and profiles: a save shows only under the one that plays.
#pragma once

#include <map>
#include <optional>
#include <string>

#include "moves/carry_checks.h"

namespace bayswap {

/// The account that a save goes under: the one that the user names, or the only one there; its own
/// where there is none yet. `there`: the accounts and how many saves each has. Nothing when several
/// play there: `many-match` then lists them.
[[nodiscard]] std::optional<std::string> choose_account(
    const std::map<std::string, std::size_t>& there, const std::string& own,
    const std::string& wanted, Checks& checks);

}  // namespace bayswap
