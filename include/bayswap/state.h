// Save states: snapshots that a program makes of the whole machine. No other program reads them.
// They are told apart, shown, brought to a place that runs the same program, and searched for the
// battery save inside.
//
// Library bayswap_core. Functions of values: any thread may call them, each object belongs to one
// thread at a time.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/bytes.h"
#include "bayswap/face.h"
#include "bayswap/result.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// General compression around a state, by the standards of RFC 1952, 1950, 1951 (inside a zip) and
/// 8878, and the LZ4 frame format.
enum class Packing { plain, gzip, zlib, zip, zstd, lz4 };

/// `gzip` …; the id of a state's form is `state-` and this.
[[nodiscard]] std::string_view to_string(Packing packing);
/// From `state-gzip` …; nothing for other ids.
[[nodiscard]] std::optional<Packing> parse_state_form(std::string_view id);
[[nodiscard]] const std::vector<Packing>& all_packings();

/// Eight bytes of a state's content, by their hash, and where they stand first.
struct StateSample {
  std::uint64_t hash = 0;
  std::uint64_t at = 0;  ///< bytes into the content

  bool operator==(const StateSample&) const = default;
};

/// What is known of the program that made a state, without knowing any program.
struct StateMaker {
  Packing packing = Packing::plain;
  std::string mark;                  ///< letters that the content begins with, at most 8
  bool mark_is_game = false;         ///< the mark is the game's name, as the file's name tells
  Bytes head;                        ///< its first 64 bytes
  std::vector<std::string> chunks;   ///< names of its sections, when it is made of such
  std::string section_form;          ///< how their names and lengths are written; empty: none
  std::uint64_t size = 0;            ///< bytes of the content, unpacked
  std::vector<StateSample> samples;  ///< of the content, by hash

  bool operator==(const StateMaker&) const = default;
};

/// Whether two states can be of one program: by the compression around them, the names of their
/// sections and how they are written, what they begin with, and, of one game, by what they keep in
/// which place. Where nothing speaks for it, the answer is no.
[[nodiscard]] bool same_program(const StateMaker& a, const StateMaker& b, bool same_game);

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

/// `name`: of the file, as it may bear the game's. Errors: `damaged` when the compression around it
/// is broken, `too-large`.
[[nodiscard]] Result<StateInfo> read_state(ByteView file, const std::string& name);

}  // namespace bayswap

#pragma GCC visibility pop
