// One game's progress in memory.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/game.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// A named run of bytes: a chip (`eeprom`, `sram`, `flash`, `clock`, `pak1` … `pak4`) or a relative
/// file path. Chip bytes stand in the hardware's own order, whatever the file did.
struct Part {
  std::string name;
  Bytes data;
  bool blank = false;  ///< holds no progress: erased, or formatted and empty
  /// The record that a memory card keeps about a file inside a save, as it was found; else empty.
  Bytes entry = {};
  /// Bytes of a file that is too large to be held and stays where it is: `data` is then empty. 0
  /// for all others.
  std::uint64_t outside = 0;

  bool operator==(const Part&) const = default;
  [[nodiscard]] std::uint64_t size() const { return outside != 0 ? outside : data.size(); }
};

using Time = std::chrono::sys_seconds;

/// One game's progress.
struct Save {
  System system = System::snes;
  Kind kind = Kind::battery;
  Game game;
  std::string name;     ///< its own name on a card; empty for batteries
  std::string comment;  ///< what the game says about it
  std::optional<Time> modified;
  std::vector<Part> parts;
  /// The record that a memory card keeps about the save, as it was found: what only that family
  /// of cards knows (rights, copies, icons) stays in it. Empty for saves that were on no card.
  Bytes entry;

  [[nodiscard]] const Part* part(std::string_view wanted) const;
  [[nodiscard]] Part* part(std::string_view wanted);
  /// True when no part holds progress. A running clock beside an erased chip is not progress; a
  /// cartridge that has only a clock is judged by the clock.
  [[nodiscard]] bool blank() const;
};

/// A save chip: the part that holds its bytes, and its capacity in bytes.
struct Chip {
  std::string part;
  std::uint64_t size = 0;

  bool operator==(const Chip&) const = default;
};

}  // namespace bayswap

#pragma GCC visibility pop
