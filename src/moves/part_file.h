// What an interrupted dump has read: a file beside its output that never looks like a whole one.
#pragma once

#include <memory>
#include <string>

#include "bayswap/storage.h"
#include "readers/cartridge.h"

namespace bayswap {

/// `OUT.part`: a line that says what it is and of which cartridge, then the bytes from the ROM's
/// beginning on. Where that name is taken by another file, it has a number behind it.
class PartFile final : public DumpStore {
 public:
  /// `header`: the beginning of the cartridge's ROM, by which it is known again. Errors:
  /// `name-taken` when something else lies there; those of the place.
  [[nodiscard]] static Result<PartFile> open(Storage& storage, const Path& out, ByteView header);

  /// Bytes that an earlier run has read of this cartridge.
  [[nodiscard]] std::uint64_t known() const { return known_; }
  /// Bytes that are there now.
  [[nodiscard]] Result<std::uint64_t> size();
  Result<void> put(std::uint64_t at, ByteView bytes) override;
  Result<void> get(std::uint64_t at, std::span<std::byte> into) override;
  /// The file goes: the dump is whole, or nothing was read.
  void remove();

  [[nodiscard]] const Path& path() const { return path_; }
  /// Where the bytes begin in the file.
  [[nodiscard]] std::uint64_t begin() const { return first_line_.size(); }

 private:
  PartFile(Storage& storage, ByteView header);

  Storage* storage_;
  Path path_;
  std::string first_line_;
  std::unique_ptr<WorkFile> file_;
  std::uint64_t known_ = 0;
};

}  // namespace bayswap
