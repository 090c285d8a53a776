// Values inside saves, by field maps that people write: shown, changed within the game's rules,
// checked, compared, and looked for. docs/field-maps.md describes the maps.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/carry.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Which save, and which map.
struct FieldRequest {
  std::string save;               ///< an address, as for carry()
  std::optional<Path> map;        ///< nothing: the user's map that fits
  std::optional<Path> rom;        ///< the game's ROM
  std::optional<std::string> is;  ///< layout id of the save
};

struct ShownField {
  std::string path;   ///< `crew[2].wage`
  std::string label;  ///< for people; may be empty
  std::string value;  ///< as people see and type it
  std::string unit;
  std::optional<std::int64_t> number;  ///< as it is stored; nothing for text
};

/// A rule of the map that a save breaks.
struct BrokenRule {
  std::string rule;
  std::string path;  ///< of the field or structure
  std::string text;
  bool operator==(const BrokenRule&) const = default;
};

struct FieldSum {
  std::string path;
  std::uint64_t stored = 0;
  std::uint64_t right = 0;
};

struct FieldCopy {
  std::uint64_t at = 0;
  bool sound = false;
  std::optional<std::uint64_t> counter;
  bool counts = false;  ///< the one that the game loads
};

struct FieldReport {
  std::string save;
  std::string map;  ///< its name
  std::string map_file;
  std::string part;  ///< of the save
  Game game;
  System system = System::gb;
  std::vector<ShownField> fields;
  std::vector<FieldSum> sums;  ///< of show_fields() and check_fields(): those that are wrong
  std::size_t sums_right = 0;
  std::vector<BrokenRule> broken;
  std::vector<FieldCopy> copies;
};

/// The fields that paths name; all when none is named. Errors: `no-match` when no map or field
/// fits, `many-match` when several maps do, `bad-map`; those of reading the save.
[[nodiscard]] Result<FieldReport> show_fields(Session& session, const FieldRequest& request,
                                              const std::vector<std::string>& paths);
/// Checksums, rules and copies. Errors: as show_fields().
[[nodiscard]] Result<FieldReport> check_fields(Session& session, const FieldRequest& request);

struct FieldChange {
  std::string path;
  std::string label;
  std::string before;
  std::string after;
  std::string unit;
};

/// What differs between two saves of one map. Errors: as show_fields().
[[nodiscard]] Result<std::vector<FieldChange>> diff_fields(Session& session,
                                                           const FieldRequest& older,
                                                           const FieldRequest& newer);

struct FieldEdit {
  FieldRequest of;
  std::vector<std::pair<std::string, std::string>> values;  ///< paths and what they become
  /// Instead: a structure's path, and its bytes as take_structure() gives them.
  std::optional<std::pair<std::string, Path>> structure;
  bool plan = false;
  std::set<Code> accept;
  int wait_seconds = 0;
  std::optional<Path> output;  ///< a copy is changed, not the save itself
};

struct FieldEdited {
  std::vector<FieldChange> changes;
  std::vector<FieldSum> sums;  ///< that were made right
  /// Rules that the save breaks after the change and did not before: `not-legal` stops it.
  struct Illegal {
    BrokenRule rule;
    std::string legal;  ///< values that would do; may be empty
  };
  std::vector<Illegal> illegal;
  bool nothing_to_do = false;
  std::vector<MoveReport> moves;  ///< what was written, or would be
  std::string copy;               ///< the file that was made instead; empty otherwise
};

/// Changes values, all or none, and makes the checksums right; without values only those. In place
/// where the save lies, as a move that undo() takes back. Errors: as show_fields(); `usage` for
/// values that can't be stored.
[[nodiscard]] Result<FieldEdited> set_fields(Session& session, const FieldEdit& edit);

/// The bytes of one structure, as a new file. Errors: as show_fields(); `name-taken`.
Result<std::uint64_t> take_structure(Session& session, const FieldRequest& request,
                                     const std::string& path, const Path& output);

/// What is known of a value in one of several saves: a number, `text`, or `unchanged`, `changed`,
/// `larger` or `smaller` than in the save before.
struct FieldHint {
  std::string save;  ///< an address
  std::string clue;
};

/// Something that may be written into a map.
struct MapLines {
  std::string words;  ///< for people
  std::string lines;  ///< to paste into a map
};

struct FoundFields {
  std::vector<MapLines> found;  ///< the likeliest first
  std::uint64_t all = 0;        ///< as many fit
};

/// Places where a value lies, by what is known of it in one or more saves. Errors: `usage`; those
/// of reading.
[[nodiscard]] Result<FoundFields> find_fields(Session& session, const std::vector<FieldHint>& hints,
                                              bool as_text, std::size_t most);

/// Likely checksums of the saves, and areas that are copies. Errors: those of reading.
[[nodiscard]] Result<FoundFields> guess_fields(Session& session,
                                               const std::vector<std::string>& saves,
                                               std::size_t most);

}  // namespace bayswap

#pragma GCC visibility pop
