// Whether two places of one save went on since one was carried to the other. What follows what is
// known better from history than by any clock.
#pragma once

#include <cstdint>
#include <map>
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

/// The saves on the cards that history holds. Each card is read once for a carry of many saves.
class CardVersions {
 public:
  /// Stands for a save's name and files: the same for saves that are the same.
  static Digest stands_for(const Save& save);
  /// Nothing when the card, or the save on it, can't be read.
  [[nodiscard]] std::optional<Digest> save_on(const History& history, const CardLayout& layout,
                                              const std::optional<Digest>& card,
                                              const std::string& identity);

 private:
  std::map<Digest, std::map<std::string, Digest>> known_;
};

/// Of a save on a card: history holds the cards, and so the save as it was.
[[nodiscard]] SinceEqual card_since_equal(const History& history, CardVersions& versions,
                                          const CardLayout& layout, const Path& card,
                                          const Save& there, const Source& source);

/// Of all its parts.
[[nodiscard]] std::uint64_t bytes_of(const Save& save);

/// `both-changed`, with times and sizes of both.
[[nodiscard]] Finding both_changed(const Path& there, std::int64_t modified_ns, std::uint64_t size,
                                   const Source& source);

}  // namespace bayswap
