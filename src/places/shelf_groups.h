// What files of one naming pattern have in common, and which patterns are one habit.
#pragma once

#include <map>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "bayswap/game.h"
#include "places/rom_folders.h"

namespace bayswap {

using PatternOfSystem = std::pair<std::string, System>;

/// Files of one pattern and system.
struct ShelfGroup {
  std::size_t files = 0;
  std::set<SaveAndRomFolder> folders;        ///< where a ROM gave the name
  std::map<std::string, unsigned> votes;     ///< by layout id
  std::map<std::string, unsigned> evidence;  ///< votes in which the content itself spoke
  std::size_t titled = 0;                    ///< files whose ROM's title is the same as its stem
  std::set<std::string> spelled;             ///< fields that have letters in some file

  void take(const ShelfGroup& other);
  /// Layout ids, those with most votes first, of each chip in one byte order.
  [[nodiscard]] std::vector<std::string> layouts() const;
};

class ShelfGroups {
 public:
  ShelfGroup& of(const std::string& pattern, System system) { return groups_[{pattern, system}]; }
  /// A file of the pattern lies where `regional`, the pattern with a word as `{region}`, would have
  /// it.
  void note_region(const std::string& pattern, System system, const std::string& regional,
                   Region region);
  /// Those of other files, where there is no group of their pattern yet.
  void add_new(std::map<PatternOfSystem, ShelfGroup>&& others);

  /// Brings together what reads differently and is one habit.
  void merge();
  /// Patterns of which three or more groups of one file each differ in one word, with `…` for it,
  /// and how many they are. It would be another word for each game, and nothing says which.
  [[nodiscard]] std::map<PatternOfSystem, std::size_t> unruly() const;

  [[nodiscard]] const std::map<PatternOfSystem, ShelfGroup>& all() const { return groups_; }

 private:
  struct Regional {
    std::string pattern;  // with the region open
    Region region = Region::unknown;
    std::size_t files = 0;
  };
  void merge_regions();
  void merge_folders();
  void merge_readings();
  void merge_tags();

  std::map<PatternOfSystem, ShelfGroup> groups_;
  std::map<PatternOfSystem, Regional> regional_;
};

}  // namespace bayswap
