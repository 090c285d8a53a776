// The named reasons to stop before anything is written.
#pragma once

#include <optional>
#include <set>
#include <string>

#include "moves/carry_source.h"

namespace bayswap {

/// Collects checks and knows which the user lets through.
class Checks {
 public:
  explicit Checks(const std::set<Code>& accept) : accept_(accept) {}

  /// Adds the finding; true when it stops the carry.
  bool add(Finding finding);
  void note(Finding finding) { found_.push_back(std::move(finding)); }
  [[nodiscard]] bool stopped() const { return stopped_; }
  [[nodiscard]] const Findings& found() const { return found_; }

 private:
  const std::set<Code>& accept_;
  Findings found_;
  bool stopped_ = false;
};

/// `other-game` or `region-differs` when two ROMs are not the same game sold in the same region.
[[nodiscard]] std::optional<Finding> compare_games(const RomFile& from, const RomFile& to,
                                                   const Catalog& catalog);

/// `chip-differs` when the game at the destination cannot have left this save.
[[nodiscard]] std::optional<Finding> compare_chips(const Source& source, const Hints& game);

/// What the plan says about the chip and where that is known from.
[[nodiscard]] std::string chip_text(const Save& save, const Hints& game);

}  // namespace bayswap
