// A whole place in one table.
#pragma once

#include <cstdint>
#include <deque>
#include <string>

#include "bayswap/look.h"
#include "cli/render/style.h"

namespace bayswap::cli {

/// What a table row needs of an item; the rest is let go, so that large places need little memory.
struct OverviewRow {
  std::optional<System> system;
  std::optional<Kind> kind;
  std::string name;       ///< game, or what the thing calls itself
  std::string sort_name;  ///< the same in lower case
  Region region = Region::unknown;
  std::uint64_t size = 0;
  std::int64_t modified_ns = 0;
  std::string path;
  bool blank = false;
  bool unclear = false;   ///< only its size and its extension speak for it
  bool known = false;     ///< a save, a card, a state or a ROM
  std::size_t saves = 0;  ///< on a card
  Findings findings;
};

[[nodiscard]] OverviewRow row_of(const Item& item);

/// Saves by system, then what is not a save in a line, then the findings with what mends each.
/// `root`: the folder that was looked through. `others`: files that have no row. `now_ns`: for
/// ages.
[[nodiscard]] std::string overview_of(const std::deque<OverviewRow>& rows, std::size_t others,
                                      const std::string& root, std::int64_t now_ns,
                                      const Style& style);

/// `2 h`, `3 days`, `14 months`.
[[nodiscard]] std::string age_text(std::int64_t ns);

/// The finding's hint, with the file's own name in it.
[[nodiscard]] Hint hint_for(const Finding& finding, const std::string& path);

}  // namespace bayswap::cli
