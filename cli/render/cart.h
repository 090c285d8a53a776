// What is in a cartridge reader, for people.
#pragma once

#include <string>
#include <vector>

#include "bayswap/cart.h"
#include "cli/render/style.h"

namespace bayswap::cli {

[[nodiscard]] std::string ports_text(const std::vector<FoundPort>& ports, const Style& style);
[[nodiscard]] std::string cart_text(const CartReport& cart, const Style& style);
[[nodiscard]] std::string dumped_text(const CartDumped& dumped, const Style& style);

}  // namespace bayswap::cli
