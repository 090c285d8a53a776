// Words of a command that a person copies from what is printed and pastes into a shell. Names of
// files come from archives, cards and other people, so a name must not do anything there.
#pragma once

#include <string>
#include <string_view>

namespace bayswap::cli {

/// The text as one word of a command line for sh, bash, zsh and fish: as it is where that is safe,
/// otherwise in double quotes, or in single quotes where double ones would let something act.
/// Control characters and bytes that are no UTF-8 become `?`.
[[nodiscard]] std::string shell_word(std::string_view text);

/// A path as one word, the part below the current folder only. One that begins like an option gets
/// `./` in front.
[[nodiscard]] std::string shell_path(const std::string& path);

}  // namespace bayswap::cli
