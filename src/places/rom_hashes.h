// What a ROM's whole content hashes to: some programs name saves by it.
#pragma once

#include <string>

#include "bayswap/bytes.h"
#include "bayswap/storage.h"

namespace bayswap {

/// In lower-case hex; all empty where the ROM was not read.
struct RomHashes {
  std::string crc32;  ///< as zip archives have it, most significant digit first
  std::string md5;
  std::string sha1;
};

/// Of the file, or of the ROM inside when it is a zip archive. Files that are larger than any
/// cartridge, and ROMs that cannot be read, have none.
[[nodiscard]] RomHashes read_rom_hashes(Storage& storage, const Path& path);

}  // namespace bayswap
