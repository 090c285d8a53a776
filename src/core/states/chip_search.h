// A save chip inside a state, where no older save shows what to look for.
#pragma once

#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/save.h"

namespace bayswap {

/// One run of bytes that may hold the chip, and what is known around it.
struct ChipGround {
  ByteView bytes;
  std::string label;  ///< what the state calls the whole run; empty: nothing
  /// The same run of other states of the game; may be empty.
  std::vector<ByteView> in_other_states;
};

/// A place that may be the chip.
struct ChipSighting {
  std::size_t ground = 0;   ///< place in the list of grounds
  std::size_t offset = 0;   ///< bytes into it
  std::string label;        ///< what the state calls it; empty: nothing
  bool ends_known = false;  ///< both, by a name with a length or by what is around it
  bool called_save = false;
  bool erased_behind = false;  ///< its last bytes are as the chip's are when nothing is written
  bool words_of_game = false;  ///< it begins with text that stands in the ROM
  bool stayed = false;         ///< the same in all states, while what is around it is not
  bool twins = false;          ///< its beginning stands elsewhere, too, with other bytes behind
  /// Enough speaks for it, as long as no other place is as good.
  [[nodiscard]] bool sure() const;
  /// For people.
  [[nodiscard]] std::string evidence(const Chip& chip) const;
};

/// The places, best first. `rom`: the game's, in its native byte order; may be empty.
[[nodiscard]] std::vector<ChipSighting> chips_in(const std::vector<ChipGround>& grounds,
                                                 const Chip& chip, ByteView rom);

/// Whether bytes begin with text that stands in the ROM, too.
[[nodiscard]] bool begins_with_words_of(ByteView rom, ByteView bytes);

}  // namespace bayswap
