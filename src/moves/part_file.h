// What an interrupted dump has read: a file beside its output that never looks like a whole one.
#pragma once

#include "bayswap/storage.h"

namespace bayswap {

/// `OUT.part`: a line that says what it is and of which cartridge, then the bytes from the ROM's
/// beginning on. A file of somebody else's under that name is never touched.
class PartFile {
 public:
  /// `header`: the beginning of the cartridge's ROM, by which it is known again.
  PartFile(Storage& storage, const Path& out, ByteView header);

  /// What an earlier run has read of this cartridge; may be empty.
  [[nodiscard]] Bytes known() const;
  /// Errors: `name-taken` when something else lies there; those of the place.
  Result<void> keep(ByteView bytes) const;
  /// The dump is whole: the file goes.
  void done() const;
  [[nodiscard]] const Path& path() const { return path_; }

 private:
  [[nodiscard]] bool is_ours() const;

  Storage& storage_;
  Path path_;
  std::string first_line_;
};

}  // namespace bayswap
