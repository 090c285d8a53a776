// Files that a program numbers: save states in slots, and memory cards.
#pragma once

#include <string>
#include <vector>

#include "bayswap/game.h"

namespace bayswap {

/// One file as a naming pattern, with fields for the words that stand for its game.
struct SlotFile {
  std::string pattern;
  System system = System::snes;
  std::string layout;          ///< empty for states
  bool surely_a_state = true;  ///< by its name or bytes, and not only by its size
};

/// Files of one shelf, by their places in the list.
struct SlotShelf {
  std::string pattern;
  std::vector<std::size_t> files;
};

/// Shelves of the files, those that differ in one number only together. A number that all of them
/// have alike is not a slot, unless the name ends with it.
[[nodiscard]] std::vector<SlotShelf> shelves_of_states(const std::vector<SlotFile>& files);

/// The same for cards of fixed names: a shelf for every number in turn, and one for each card that
/// has no like.
[[nodiscard]] std::vector<SlotShelf> shelves_of_cards(const std::vector<SlotFile>& files);

}  // namespace bayswap
