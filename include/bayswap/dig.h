// The battery save inside a save state, found and written.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session. Runs of
// several processes wait for each other.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "bayswap/reshape.h"
#include "bayswap/session.h"

#pragma GCC visibility push(default)

namespace bayswap {

struct DigRequest {
  Path state;
  std::vector<Path> also;         ///< other states of the same game, to compare with
  std::optional<Path> like;       ///< an older save of the same game
  std::optional<Path> rom;        ///< names the chip, where no older save is known
  std::optional<std::string> is;  ///< layout of `like`, or of what is looked for
  int choose = 0;                 ///< a candidate's place in the list, from 1; 0: the only one
  bool replace = false;
  Path out;
};

/// One place in a state that may be the save.
struct DigCandidate {
  std::string part;
  std::uint64_t offset = 0;  ///< in the content, unpacked
  std::uint64_t size = 0;    ///< bytes
  std::string inside;        ///< of compression further inside; else empty
  std::string evidence;      ///< what speaks for it, for people
  bool shown = false;        ///< nothing else can be it
};

struct Dug {
  std::vector<OutputFile> outputs;
  std::vector<DigCandidate> candidates;
  Findings findings;
  std::optional<Error> stopped;
  std::string move;  ///< name for undo(); may be empty
};

/// Finds the save inside a state and writes it. Nothing is written unless the evidence leaves one
/// candidate, or the user chose one. Errors: unreadable files; what stops is in the report.
[[nodiscard]] Result<Dug> dig_state(Session& session, const DigRequest& request);

}  // namespace bayswap

#pragma GCC visibility pop
