// A position automaton: decides whether a pattern can be read in two ways, and reads a path.
#pragma once

#include <optional>
#include <string_view>
#include <vector>

#include "core/naming/field_language.h"

namespace bayswap::naming {

/// The characters of a pattern as positions: each is one character of one class, belongs to one
/// element of the pattern, and knows which positions may follow it.
class Automaton {
 public:
  /// Appends an element that is one of these spellings.
  void append(const std::vector<Spelling>& spellings);

  /// Positions that it has.
  [[nodiscard]] std::size_t size() const { return positions_.size(); }

  /// The number of the first element where two readings of one text part ways; nothing when every
  /// text has at most one reading.
  [[nodiscard]] std::optional<std::size_t> ambiguous_element() const;

  /// Reads the text: the piece of each element, in order. Nothing when it does not fit.
  [[nodiscard]] std::optional<std::vector<std::string_view>> read(std::string_view text) const;

 private:
  struct Position {
    CharClass chars;
    std::size_t element = 0;
    std::vector<std::size_t> next;
  };
  using Ends = std::vector<std::size_t>;

  void append_run(const Run& run, Ends& ends);
  [[nodiscard]] bool accepts_at(std::size_t position) const;

  // Position 0 is the start and reads nothing.
  std::vector<Position> positions_{Position{}};
  Ends ends_{0};
  std::size_t elements_ = 0;
};

}  // namespace bayswap::naming
