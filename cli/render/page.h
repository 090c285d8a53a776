// Pages to look at and to share: one file each, without scripts, light and dark.
#pragma once

#include <string>
#include <vector>

#include "bayswap/look.h"
#include "bayswap/shown_card.h"
#include "bayswap/slots.h"
#include "bayswap/sync.h"
#include "bayswap/versions.h"

namespace bayswap::cli {

/// What was looked at, and the slots of the states there.
[[nodiscard]] std::string look_page(const std::string& place, const std::vector<Item>& items,
                                    const std::vector<SlotBoard>& boards);
[[nodiscard]] std::string card_page(const ShownCard& shown);
[[nodiscard]] std::string history_page(const std::vector<SaveHistory>& saves);
[[nodiscard]] std::string hub_page(const HubReport& report);

}  // namespace bayswap::cli
