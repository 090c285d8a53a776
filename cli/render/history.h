// What history holds.
#pragma once

#include <string>
#include <vector>

#include "bayswap/versions.h"
#include "cli/render/style.h"

namespace bayswap::cli {

[[nodiscard]] std::string history_text(const std::vector<SaveHistory>& saves, const Style& style);
[[nodiscard]] std::string kept_text(const KeepReport& report, const Style& style);
[[nodiscard]] std::string tidy_text(const TidyReport& report, bool plan, const Style& style);
[[nodiscard]] std::string verify_text(const VerifyReport& report, const Style& style);

}  // namespace bayswap::cli
