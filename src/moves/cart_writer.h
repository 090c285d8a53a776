// The chip of a cartridge, written with history and checks around it.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "history/history.h"
#include "moves/carry_checks.h"
#include "moves/cart_open.h"

namespace bayswap {

/// What a chip holds and what it is to hold.
struct ChipContents {
  const CartridgeArea* area = nullptr;
  Bytes before;
  Bytes wanted;
};

/// What is on the chip, as sure as it gets. Errors: `unsteady`.
[[nodiscard]] Result<Bytes> present_save(OpenCart& cart, const CartridgeArea& area);

/// The game's save on a cartridge whose chip `bytes` were read from, with its clock where it has
/// one that can be read. Errors: those of the reader.
[[nodiscard]] Result<Save> save_from_chip(OpenCart& cart, const CartridgeArea& area, Bytes bytes);
/// The same, dumped until it is sure. Errors: `unsteady`.
[[nodiscard]] Result<Save> save_on_cart(OpenCart& cart, const CartridgeArea& area);
/// The layout of a file for such a save; null where there is none.
[[nodiscard]] const Layout* layout_on_cart(const Save& save);

/// The chip's bytes out of a save; nothing when it has none that fit, whatever is accepted: then a
/// check says why.
[[nodiscard]] std::optional<Bytes> chip_bytes(const Save& save, const OpenCart& cart,
                                              const CartridgeArea& area, Checks& checks);

/// `newer-there`, when history knows the save as an older one of this cartridge. `history` may be
/// null.
void check_older(const History* history, const OpenCart& cart, const ChipContents& contents,
                 Checks& checks);

/// Writes a chip: history first, then the pages, then what became of it.
class CartWriter {
 public:
  explicit CartWriter(OpenCart& cart) : cart_(cart) {}

  /// Records the move, writes, and gives the move's name. Errors: Trouble::read_back when the
  /// cartridge does not hold what is wanted.
  Result<std::string> write(const ChipContents& contents, History& history, MoveRecord move);
  /// What the last write() showed of the contacts; may be empty.
  [[nodiscard]] const Findings& notes() const { return notes_; }

 private:
  Result<std::string> on_chip(const ChipContents& contents, History& history,
                              const MoveRecord& move);
  Result<std::string> put_back(const ChipContents& contents, History& history,
                               const MoveRecord& move, const Error& why);

  OpenCart& cart_;
  Findings notes_;
};

}  // namespace bayswap
