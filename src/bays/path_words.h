// Words in the paths of saves: the parts of a name that stand for a game, a slot or a region.
#pragma once

#include <functional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace bayswap {

/// The longest word of which `known` says so that stands in a path as a whole. The file name says
/// more than the folders above it. Empty when there is none.
[[nodiscard]] std::string word_of_path(const std::string& relative,
                                       const std::function<bool(std::string_view)>& known);

/// A path with a field wherever the word stands, as a naming pattern.
[[nodiscard]] std::string pattern_of(const std::string& relative, const std::string& word,
                                     const std::string& field);

/// A path in which every number is an opening: `cards/1/left 02.card` has two of them.
struct NumberedPath {
  std::vector<std::string> texts;    ///< as a pattern writes them, around and between the numbers
  std::vector<std::string> numbers;  ///< the digits as they stand; one less than `texts`
};

/// Of a path in which `{field}` already stands for a word, so that its digits are left alone.
[[nodiscard]] NumberedPath numbered_path(const std::string& pattern);
/// The pattern with `{slot…}` for one of its numbers.
[[nodiscard]] std::string with_slot(const NumberedPath& path, std::size_t place,
                                    const std::string& field);

/// How slots with these texts are written: `{slot}`, `{slot:pad 2}`, `{slot:first }` where the
/// first one has no number at all, `{slot:first a}` where it has a letter. Empty when they are no
/// slots.
[[nodiscard]] std::string slot_field(const std::set<std::string>& texts);

}  // namespace bayswap
