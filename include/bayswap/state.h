// Save states: snapshots that a program makes of the whole machine. No other program reads them.
// They are told apart, shown, brought to a place that runs the same program, and searched for the
// battery save inside.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/face.h"
#include "bayswap/finding.h"
#include "bayswap/reshape.h"
#include "bayswap/session.h"

namespace bayswap {

/// General compression around a state, by the standards of RFC 1952, 1950, 1951 (inside a zip) and
/// 8878, and the LZ4 frame format.
enum class Packing { plain, gzip, zlib, zip, zstd, lz4 };

/// `gzip` …; the id of a state's form is `state-` and this.
[[nodiscard]] std::string_view to_string(Packing packing);
/// From `state-gzip` …; nothing for other ids.
[[nodiscard]] std::optional<Packing> parse_state_form(std::string_view id);
[[nodiscard]] const std::vector<Packing>& all_packings();

/// What is known of the program that made a state, without knowing any program.
struct StateMaker {
  Packing packing = Packing::plain;
  std::string mark;                 ///< letters that the content begins with, at most 8
  std::vector<std::string> chunks;  ///< tags of its sections, when it is made of such
  std::uint64_t size = 0;           ///< bytes of the content, unpacked

  bool operator==(const StateMaker&) const = default;
};

enum class SameProgram { yes, no, unknown };

/// Whether two states can be of one program. Of one game even the size tells.
[[nodiscard]] SameProgram same_program(const StateMaker& a, const StateMaker& b, bool same_game);

/// One line for people: `gzip · begins SNAPSHOT · 4 sections (CPU, RAM …) · 70,133 bytes`.
[[nodiscard]] std::string maker_text(const StateMaker& maker);

/// What a state says about itself.
struct StateInfo {
  StateMaker maker;
  std::optional<Picture> picture;
};

/// The game and slot that a state's file name tells.
struct StateName {
  std::string stem;
  std::string slot;  ///< digits without leading zeros; empty when the name has none
};
[[nodiscard]] StateName state_name_of(std::string_view file_name);

/// Errors: `damaged` when the compression around it is broken, `too-large`.
[[nodiscard]] Result<StateInfo> read_state(ByteView file, const std::string& name);

/// One filled slot.
struct StateSlot {
  std::string slot;
  Path path;
  std::uint64_t size = 0;        ///< bytes of the file
  std::int64_t modified_ns = 0;  ///< since 1970
  StateInfo info;
  Findings findings;
};

/// The slots of one game.
struct SlotBoard {
  std::string title;
  std::optional<System> system;
  std::vector<StateSlot> slots;  ///< by number
};

/// The states in a bay, in a folder and below it, or in one file; by game. Errors: `missing`,
/// `no-match` when there are none.
[[nodiscard]] Result<std::vector<SlotBoard>> list_states(Session& session,
                                                         const std::string& place);

struct DigRequest {
  Path state;
  std::optional<Path> like;  ///< an older save of the same game
  std::optional<Path> rom;   ///< names the chip, where no older save is known
  std::string is;            ///< layout of `like`, or of what is looked for; may be empty
  int choose = 0;            ///< a candidate's place in the list, from 1; 0: the only one
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
