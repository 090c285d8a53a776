// The file system of a ps2 card on its plain bytes: superblock, allocation table, directories.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/layouts/common/chains.h"
#include "core/layouts/ps2/ps2_format.h"

namespace bayswap::ps2 {

/// A file or directory inside a save.
struct Node {
  std::string path;  ///< relative; directories end in `/`
  Bytes raw;         ///< its directory entry
  Entry entry;
  Chain chain;
  std::uint32_t wanted = 0;  ///< clusters that its length asks for
};

/// One save: a directory of the root, and everything below it.
struct Tree {
  std::uint32_t index = 0;  ///< place in the root directory
  Bytes record;             ///< its entry in the root, and its own `.` and `..`
  Entry entry;
  Chain chain;
  std::uint32_t wanted = 0;
  std::vector<Node> nodes;  ///< in the order of the directories

  /// All clusters, the directory's own first.
  [[nodiscard]] std::vector<std::uint32_t> clusters() const;
  /// Why it is not sound; empty when it is.
  [[nodiscard]] std::string broken() const;
};

/// Reads and changes a volume in place.
class Volume {
 public:
  Volume(Bytes& plain, const Geometry& geometry);

  [[nodiscard]] const Geometry& geometry() const { return geometry_; }
  /// The table's entry for a relative cluster; 0 outside.
  [[nodiscard]] std::uint32_t link(std::uint32_t cluster) const;
  void set_link(std::uint32_t cluster, std::uint32_t value);
  /// False when the indirect clusters do not lead to a table for every cluster.
  [[nodiscard]] bool has_table() const { return table_whole_; }
  [[nodiscard]] bool is_used(std::uint32_t cluster) const {
    return (link(cluster) & kUsedBit) != 0;
  }

  /// 1,024 bytes of a relative cluster, which must be inside.
  [[nodiscard]] std::span<std::byte> cluster(std::uint32_t number) const;
  /// Follows used clusters, or free ones that still have the chain of a deleted file.
  [[nodiscard]] Chain chain(std::uint32_t first, bool deleted) const;
  [[nodiscard]] std::span<std::byte> entry_at(const Chain& directory, std::uint32_t index) const;

  [[nodiscard]] const Chain& root() const { return root_; }
  /// Entries of the root directory, those of deleted saves among them.
  [[nodiscard]] std::uint32_t root_length() const;
  void reread_root();

  /// Everything below a directory entry of the root. `deleted`: its chains are free ones.
  [[nodiscard]] Tree tree(std::uint32_t index, bool deleted) const;
  /// All live saves, or those deleted ones whose clusters are all free.
  [[nodiscard]] std::vector<Tree> trees(bool deleted) const;
  /// The same for a directory whose entry in the root is lost.
  [[nodiscard]] Tree tree_from(ByteView raw_entry, std::uint32_t index, bool deleted) const;

  /// A save in memory, with the data of its files. `budget`: bytes that may still be read; files
  /// of a hostile card that claim the same clusters over and over end empty.
  [[nodiscard]] Save save_of(const Tree& tree, std::uint64_t& budget) const;

 private:
  void read_directory(const Chain& chain, std::uint32_t length, const std::string& prefix,
                      bool deleted, int depth, std::vector<Node>& nodes) const;

  // Bounds the work that crossing chains of a hostile card can ask for.
  [[nodiscard]] std::uint64_t most_steps() const;

  Bytes& plain_;
  Geometry geometry_;
  std::vector<std::uint32_t> tables_;  // absolute clusters of the table, 0 where one is missing
  bool table_whole_ = true;
  Chain root_;
  mutable std::uint64_t steps_ = 0;
};

/// A name that a directory in the root can have: not empty, `.` or `..`.
[[nodiscard]] bool is_save_name(std::string_view name);

/// Entries that a directory of this length takes, in clusters.
[[nodiscard]] inline std::uint32_t directory_clusters(std::uint32_t entries) {
  return entries / 2 + entries % 2;
}
[[nodiscard]] inline std::uint32_t file_clusters(std::uint32_t size) {
  return static_cast<std::uint32_t>((std::uint64_t{size} + kClusterSize - 1) / kClusterSize);
}

}  // namespace bayswap::ps2
