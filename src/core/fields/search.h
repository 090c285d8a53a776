// Where a value lies, and which bytes are a checksum: for people who write field maps.
#pragma once

#include <bit>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "core/fields/field_map.h"

namespace bayswap::fields {

/// What somebody knows of a value in one of several saves.
struct Clue {
  enum class Kind { value, text, same, changed, larger, smaller };
  Kind kind = Kind::value;  ///< all but the first two are about the save before
  std::int64_t value = 0;
  std::string text;
};

struct FoundPlace {
  std::uint64_t at = 0;
  std::string type;  ///< as in a map: `u16`, `bcd4`, `text`
  std::endian order = std::endian::little;
  std::vector<std::int64_t> values;  ///< in each save
  std::uint64_t length = 0;          ///< of a text, in bytes
  /// Of a text whose letters are a game's own: the bytes of `A`, `a` and `0`, where they are known.
  std::vector<std::pair<char, std::uint8_t>> letters;
};

struct FoundPlaces {
  std::vector<FoundPlace> places;  ///< the likeliest first
  std::uint64_t all = 0;           ///< as many fit
};

/// Places where all clues hold: one for each save, the first a value or a text. The saves have one
/// size. Errors: `usage`.
[[nodiscard]] Result<FoundPlaces> find_places(const std::vector<ByteView>& saves,
                                              const std::vector<Clue>& clues, std::size_t most);

struct GuessedSum {
  Checksum sum;  ///< `at` and one range, all numbers
  std::uint64_t at = 0;
  std::uint64_t from = 0;
  std::uint64_t size = 0;
  double likelihood = 0;  ///< only to compare
};

/// Checksums that are right in all of the saves, the likeliest first.
[[nodiscard]] std::vector<GuessedSum> guess_sums(const std::vector<ByteView>& saves,
                                                 std::size_t most);

struct GuessedCopies {
  std::uint64_t first = 0;
  std::uint64_t second = 0;
  std::uint64_t size = 0;
  std::uint64_t differing = 0;  ///< bytes
};

/// Areas that hold nearly the same.
[[nodiscard]] std::vector<GuessedCopies> guess_copies(ByteView save);

/// Lines for a map.
[[nodiscard]] std::string map_lines(const FoundPlace& place);
[[nodiscard]] std::string map_lines(const GuessedSum& sum);
[[nodiscard]] std::string map_lines(const GuessedCopies& copies);

}  // namespace bayswap::fields
