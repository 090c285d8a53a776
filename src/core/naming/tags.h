// Tags in round or square brackets that ROM sets put into names.
#pragma once

#include <string>
#include <string_view>

#include "bayswap/game.h"

namespace bayswap {

/// A ROM's or dump's name without the tags behind it: `Copper Tide` for `Copper Tide (Europe) [b]`.
[[nodiscard]] std::string untagged_name(const std::string& name);

/// The region that a tag names, as in `Copper Tide (Europe)`; `unknown` without one.
[[nodiscard]] Region region_of_name(std::string_view name);

/// The region that a folder or the file in a path is called after as a whole, as in
/// `cards/Europe/left.card` or `left.usa.card`; `unknown` when there is none, or several.
[[nodiscard]] Region region_of_path(std::string_view path);

/// What the tags of a name say.
struct NameTags {
  Region region = Region::unknown;
  std::string disc;  ///< `1` of `(Disc 1)`, `(Disk 1 of 2)`; `a` of `(Side A)`; empty without one
  unsigned revision = 0;      ///< 1 of `(Rev 1)`, `(Rev A)`, `(v1.1)`
  std::size_t languages = 0;  ///< 3 of `(En,Fr,De)`, `(M3)`

  friend bool operator==(const NameTags&, const NameTags&) = default;
};
[[nodiscard]] NameTags tags_of_name(std::string_view name);

/// Whether a name can be of no game: numbers, short words, and words that any download may have
/// (`tg_srm03`, `upload (2)`, `backup_final`).
[[nodiscard]] bool says_no_game(std::string_view name);

/// False when both names bear a region, or both a disc, and these differ.
[[nodiscard]] bool tags_agree(std::string_view one, std::string_view other);

/// How closely two names of one game agree, in their words and then in their tags: more is closer.
/// Of several ROMs that a save may belong to, the closest is meant.
[[nodiscard]] unsigned name_closeness(const std::string& one, const std::string& other);

}  // namespace bayswap
