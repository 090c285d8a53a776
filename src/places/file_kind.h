// What an ordinary file is, in plain words, from the system's own list of file types.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "bayswap/bytes.h"
#include "bayswap/layout.h"
#include "bayswap/state.h"

namespace bayswap {

/// A short description ("ISO 9660 CD-ROM filesystem data"); empty when the list does not know the
/// bytes, or is not there. Words for people only: random bytes look like some old format now and
/// then, so they speak neither for nor against a save. Any thread may call it.
[[nodiscard]] std::string describe_bytes(ByteView file);

/// Bytes that are spread as evenly as compressed or encrypted ones are.
[[nodiscard]] bool looks_sealed(ByteView file);

/// A single file under a general compression: how it is compressed and what it holds, as a save.
struct CompressedFile {
  Packing packing = Packing::plain;
  std::uint64_t size = 0;          ///< unpacked, bytes
  const Layout* layout = nullptr;  ///< what it holds, where that speaks for itself
};
/// Nothing when it is none, or can't be unpacked.
[[nodiscard]] std::optional<CompressedFile> compressed_file(ByteView file, const Hints& hints);

}  // namespace bayswap
