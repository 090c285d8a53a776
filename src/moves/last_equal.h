// Whether two places of one save went on since one was carried to the other. What follows what is
// known better from history than by any clock.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "bayswap/card.h"
#include "history/history.h"
#include "moves/carry_source.h"
#include "moves/mover.h"

namespace bayswap {

/// What history knows of two saves since they were last equal.
struct SinceEqual {
  bool known = false;
  bool there = false;  ///< the one that would be replaced went on
  bool here = false;   ///< the one that is carried did
};

/// What history calls a source: its files, by their absolute paths.
[[nodiscard]] std::string recorded_source(const Source& source);

/// Of a file that would be replaced by `becomes`.
[[nodiscard]] SinceEqual file_since_equal(const History& history, const Path& there,
                                          const Digest& now, std::int64_t modified_ns,
                                          const Digest& becomes, const Source& source);

/// Of a folder.
[[nodiscard]] SinceEqual folder_since_equal(const History& history, Storage& storage,
                                            const Path& there, const Source& source);

/// Of a save on a card: history holds the cards, and so the save as it was.
[[nodiscard]] SinceEqual card_since_equal(const History& history, const CardLayout& layout,
                                          const Path& card, const Save& there,
                                          const Source& source);

/// `both-changed`, with times and sizes of both.
[[nodiscard]] Finding both_changed(const Path& there, std::int64_t modified_ns, std::uint64_t size,
                                   const Source& source);

}  // namespace bayswap
