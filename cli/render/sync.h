// What a sync did, and what is on a hub.
#pragma once

#include <string>

#include "bayswap/sync.h"
#include "bayswap/watch.h"
#include "cli/render/style.h"

namespace bayswap::cli {

[[nodiscard]] std::string sync_text(const SyncReport& report, const Style& style);
/// One line for each thing that happened, with the time.
[[nodiscard]] std::string event_text(const WatchEvent& event, const Style& style);
[[nodiscard]] std::string hub_text(const HubReport& report, const Style& style);
[[nodiscard]] std::string checked_text(const HubChecked& checked, const Style& style);
[[nodiscard]] std::string tidied_text(const HubTidied& tidied, bool plan, const Style& style);

[[nodiscard]] std::string json_text(const SyncReport& report);
[[nodiscard]] std::string json_text(const WatchEvent& event);
[[nodiscard]] std::string json_text(const HubReport& report);
[[nodiscard]] std::string json_text(const HubChecked& checked);
[[nodiscard]] std::string json_text(const HubTidied& tidied);

}  // namespace bayswap::cli
