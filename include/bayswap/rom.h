// What a cartridge's ROM says about itself.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/finding.h"
#include "bayswap/game.h"
#include "bayswap/save.h"

#pragma GCC visibility push(default)

namespace bayswap {

struct RomInfo {
  System system = System::snes;
  Game game;
  int version = 0;
  /// The save chips that the header names; nothing when the header does not tell.
  std::optional<std::vector<Chip>> chips;
  bool shared_code = false;  ///< the code is common to all homebrew, so only the title counts
  bool header_ok = true;     ///< the header's own check holds (true where it has none)
  bool has_header = true;    ///< false for cartridges without one, known by where they lie
  Findings findings;
  // Of the whole file, in lower-case hex; empty unless a catalog could know them.
  std::string crc32;
  std::string sha1;
};

/// Reads a ROM header. Nothing when the bytes are no ROM of a known family. `file` is the whole
/// ROM file; only the header is read (and, where a chip is named by a marker in the code, the
/// rest).
[[nodiscard]] std::optional<RomInfo> read_rom(ByteView file);

/// The same for the beginning of a ROM of `file_size` bytes; headers lie in the first 4.1 MiB.
[[nodiscard]] std::optional<RomInfo> read_rom(ByteView beginning, std::uint64_t file_size);

}  // namespace bayswap

#pragma GCC visibility pop
