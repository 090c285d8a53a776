// The texts that a field of a naming pattern may stand for, and the way from a value to its text
// and back.
#pragma once

#include <bitset>
#include <cstddef>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/result.h"

namespace bayswap::naming {

using CharClass = std::bitset<256>;

/// A run of characters of one class: at least `min`, at most `max` (0: no limit).
struct Run {
  CharClass chars;
  std::size_t min = 1;
  std::size_t max = 1;
};

/// One spelling: runs one behind the other.
using Spelling = std::vector<Run>;

struct Change {
  enum class Op { upper, lower, hex, high, low, pad, first, from, tens, letters };
  Op op = Op::upper;
  unsigned number = 0;
  std::string text;
};

/// One `{field:change…}` of a pattern.
struct Field {
  std::string name;
  std::vector<Change> changes;

  [[nodiscard]] const Change* change(Change::Op op) const;
  [[nodiscard]] bool is_slot() const { return name == "slot"; }
  /// The text keeps less than the value (a half of a title id, a folded free text).
  [[nodiscard]] bool loses() const;
};

/// A problem of a field; the text becomes part of the error of the pattern.
using Complaint = std::string;

/// Reads the inside of the braces.
[[nodiscard]] tl::expected<Field, Complaint> parse_field(std::string_view text);

/// All spellings that build_text() can give.
[[nodiscard]] std::vector<Spelling> spellings(const Field& field);

[[nodiscard]] tl::expected<std::string, Complaint> build_text(const Field& field,
                                                              std::string_view value);

/// The value behind a text; nothing when the text is none of the field, or when it loses.
[[nodiscard]] std::optional<std::string> value_of_text(const Field& field, std::string_view text);

}  // namespace bayswap::naming
