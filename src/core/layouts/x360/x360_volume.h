// The blocks of an x360 package, read through its hash tables.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "core/layouts/x360/x360_format.h"

namespace bayswap::x360 {

/// What the lowest hash table says of one data block.
struct BlockEntry {
  unsigned status = kUnused;
  std::uint32_t next = kEnd;
  bool holds = false;  ///< the block's bytes are what their hash says

  [[nodiscard]] bool used() const { return (status & kUsed) != 0; }
};

/// One file and where it lies.
struct VolumeFile {
  std::string path;
  std::size_t entry = 0;  ///< place in Volume::entries
  std::vector<std::uint32_t> blocks;
  bool whole = true;  ///< all its blocks are there
  bool holds = true;  ///< their hashes fit
};

struct Volume {
  Header header;
  std::uint64_t blocks = 0;          ///< data blocks: those of the header that the file has
  unsigned level = 0;                ///< of the root table
  std::vector<BlockEntry> map;       ///< one for each data block
  std::vector<std::uint32_t> table;  ///< blocks of the file table
  bool table_whole = true;
  std::vector<FileEntry> entries;   ///< of the file table, gaps too
  std::vector<VolumeFile> files;    ///< without folders
  std::vector<std::string> broken;  ///< why entries could not become files
  bool spare_used = false;          ///< a table's other copy had to be read
};

/// Reads as much as there is. `rescue`: where a live table does not fit its hash and its other copy
/// does, that one counts. Nothing when the header is none.
[[nodiscard]] std::optional<Volume> read_volume(ByteView package, bool rescue);

/// The bytes of a data block; nothing when the file ends before.
[[nodiscard]] std::optional<ByteView> block_bytes(ByteView package, const Header& header,
                                                  std::uint64_t block);
/// One copy of a hash table.
[[nodiscard]] std::optional<ByteView> table_bytes(ByteView package, const Header& header,
                                                  unsigned level, std::uint64_t number,
                                                  unsigned copy);

/// Which copy of each table counts, found from the root down.
class LiveTables {
 public:
  LiveTables(ByteView package, const Header& header, unsigned level, bool rescue);

  /// The copy of a table that counts, 0 or 1.
  [[nodiscard]] unsigned copy_of(unsigned level, std::uint64_t number);
  [[nodiscard]] std::optional<ByteView> table(unsigned level, std::uint64_t number);
  [[nodiscard]] bool spare_used() const { return spare_used_; }

 private:
  ByteView package_;
  const Header& header_;
  unsigned level_;
  bool rescue_;
  bool spare_used_ = false;
  std::vector<std::vector<std::optional<unsigned>>> known_;
};

/// The file's bytes.
[[nodiscard]] Bytes file_bytes(ByteView package, const Volume& volume, const VolumeFile& file);

}  // namespace bayswap::x360
