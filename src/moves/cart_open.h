// A reader's cartridge with what its header and the catalog tell of the game.
#pragma once

#include "bayswap/cart.h"
#include "places/rom_index.h"
#include "readers/cartridge.h"

namespace bayswap {

struct OpenCart {
  Cartridge cartridge;
  RomFile rom;  ///< as if its ROM lay in a file; without a header only the system is known
  bool has_header = false;
  Hints hints;  ///< of the game
  CartReport report;
};

/// Errors: those of look_cart().
[[nodiscard]] Result<OpenCart> open_cart(Session& session, const CartAccess& access);

/// Whether history means a cartridge by this path.
[[nodiscard]] bool is_on_cartridge(const std::string& history_path);

/// What history calls the save of a cartridge: no path of a file.
[[nodiscard]] std::string history_name(const OpenCart& cart, const CartridgeArea& area);

/// The area that holds the game's save; nothing when the cartridge has none.
[[nodiscard]] const CartridgeArea* save_area(const OpenCart& cart);

}  // namespace bayswap
