// What history holds, as text and as JSON.
#pragma once

#include <string>
#include <vector>

#include "bayswap/versions.h"
#include "cli/render/json.h"
#include "cli/render/style.h"

namespace bayswap::cli {

[[nodiscard]] std::string history_text(const std::vector<SaveHistory>& saves, const Style& style);
[[nodiscard]] std::string kept_text(const KeepReport& report, const Style& style);
[[nodiscard]] std::string tidy_text(const TidyReport& report, bool plan, const Style& style);
[[nodiscard]] std::string verify_text(const VerifyReport& report, const Style& style);

[[nodiscard]] Json to_json(const SaveHistory& save);
[[nodiscard]] Json to_json(const KeepReport& report);
[[nodiscard]] Json to_json(const TidyReport& report);
[[nodiscard]] Json to_json(const VerifyReport& report);

}  // namespace bayswap::cli
