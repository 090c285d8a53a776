// What a user types for a save, taken apart in one place.
#pragma once

#include <optional>
#include <string>
#include <utility>

#include "bayswap/session.h"

namespace bayswap {

/// A path, `BAY:NAME`, or `FILE:NAME` for something inside a file: a save on a card, a part of a
/// container, a save on a card that is such a part (`game.srm:pak1:NAME`). Files of archives
/// (`PACK.zip:NAME`) are paths, as the session's storage reads them.
struct SaveAddress {
  std::string text;    ///< as it was typed
  std::string bay;     ///< a known bay; empty for paths
  Path path;           ///< the file or folder; empty for `BAY:NAME`
  std::string inside;  ///< what is meant in it, or in the bay; may be empty
  bool there = false;  ///< something is at `path`

  /// `PART` and `NAME` of `PART:NAME` inside a container.
  [[nodiscard]] std::optional<std::pair<std::string, std::string>> part_and_name() const;
};

/// What is on the disk is a path, whatever its name looks like; then bays count, then the longest
/// file that stands before a colon. What is none of these is a path at which nothing is.
[[nodiscard]] SaveAddress parse_address(Session& session, const std::string& text);

/// `FILE:INSIDE`, as parse_address() reads it.
[[nodiscard]] std::string address_of(const Path& file, const std::string& inside);

/// The path in full, with links followed as far as it exists.
[[nodiscard]] Path resolved_path(const Path& path);

}  // namespace bayswap
