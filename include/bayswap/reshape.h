// Bytes from one layout into another, without a bay.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session. Runs of
// several processes wait for each other.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "bayswap/session.h"

#pragma GCC visibility push(default)

namespace bayswap {

struct ReshapeRequest {
  std::vector<Path> inputs;         ///< several are joined into one save
  std::vector<std::string> is;      ///< layout ids: none, one for all, or one for each input
  std::vector<std::string> as;      ///< wanted layout ids
  bool split = false;               ///< one file for each part that holds something
  std::optional<std::string> code;  ///< label a card's save for this code or serial
  std::optional<Path> like;         ///< an existing file to imitate
  std::optional<Path> rom;          ///< the game's ROM
  /// Bytes of the written file: erased ones come behind the chip, or leave it. Unset: as the layout
  /// has it. Goes with one file of one chip, up to 16 MiB.
  std::optional<std::uint64_t> file_size;
  Path out;               ///< a file; a folder when there are several outputs
  bool replace = false;   ///< overwrite existing outputs
  std::set<Code> accept;  ///< codes that the user lets through
};

struct OutputFile {
  Path path;
  std::string layout;
  std::uint64_t size = 0;
  std::string sha256;
};

struct Reshaped {
  std::vector<OutputFile> outputs;  ///< empty when losses stopped it
  Findings losses;
  Findings findings;
  std::optional<Error> stopped;  ///< why nothing was written
  std::string move;              ///< name for undo(); may be empty
};

/// Reads the inputs, joins them, writes the outputs. Nothing is written when there are losses that
/// are not accepted, or when an output exists and `replace` is not set.
[[nodiscard]] Result<Reshaped> reshape(Session& session, const ReshapeRequest& request);

}  // namespace bayswap

#pragma GCC visibility pop
