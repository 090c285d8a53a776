// Words in the paths of saves: the parts of a name that stand for a game, a slot or a region.
#pragma once

#include <functional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

namespace bayswap {

inline constexpr std::size_t kLeastWord = 4;  // letters; shorter words stand in paths by chance

/// The longest word of which `known` says so that stands in a path as a whole. The file name says
/// more than the folders above it. Empty when there is none.
[[nodiscard]] std::string word_of_path(const std::string& relative,
                                       const std::function<bool(std::string_view)>& known);

/// Whether a word of the path looks like the CRC-32, MD5 or SHA-1 of something, in hex digits of
/// one case.
[[nodiscard]] bool has_hash_word(std::string_view relative);

/// A path with a field wherever the word stands, as a naming pattern.
[[nodiscard]] std::string pattern_of(const std::string& relative, const std::string& word,
                                     const std::string& field);

/// A pattern with a field wherever the word stands outside of fields, as a whole.
[[nodiscard]] std::string with_field(const std::string& pattern, std::string_view word,
                                     const std::string& field);

/// Whether a pattern has a word outside of fields that is long enough to mean something.
[[nodiscard]] bool has_words(const std::string& pattern);

/// The pattern with `…` for one stretch of text between fields and folders, for each in turn but
/// the file's extension.
[[nodiscard]] std::vector<std::string> with_a_word_open(const std::string& pattern);

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
