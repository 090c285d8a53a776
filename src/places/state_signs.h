// Signs that a file is a save state: a snapshot that a program made of the whole machine.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "bayswap/layout.h"

namespace bayswap {

/// A name that only states have (`name.state`, `name.state3`, `name.st0`).
[[nodiscard]] bool has_state_name(std::string_view file_name);

/// The extension is a slot: letters and a number, or a number alone (`game.ss3`, `game.004`).
[[nodiscard]] bool ends_in_slot(std::string_view file_name);

/// The bytes are packed, or a picture with more in it, as states often are; other files are, too.
[[nodiscard]] bool has_state_bytes(ByteView file);

/// What speaks for a file being a save state, the weakest first. Being compressed says nothing.
enum class StateSign {
  none,
  size,  ///< it bears a game's name, and is larger than any chip of its; or its name a number
  form,
  name,
};

/// What is known around a file that may be a state.
struct StateContext {
  /// Of the ROM that the file is named after; without a system there is none.
  Hints hints = {};
  /// What ordinary_file() says of the file.
  std::string ordinary = {};
  bool slots_beside = false;  ///< files of the same name in other slots lie there
  bool thorough = false;      ///< the user named this one file: it is unpacked, too
};

[[nodiscard]] StateSign state_sign(std::string_view file_name, ByteView file,
                                   const std::vector<Guess>& guesses, const StateContext& context);

/// The finding for a file that is a state.
[[nodiscard]] Finding state_finding(std::string_view why);

}  // namespace bayswap
