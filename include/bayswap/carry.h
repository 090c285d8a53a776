// Carrying saves between bays: checked, backed up, converted, written, read back, undoable.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session. Runs of
// several processes wait for each other.
#pragma once

#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "bayswap/game.h"
#include "bayswap/session.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// A save in memory, to be carried like one from a file.
struct GivenSave {
  Save save;
  std::string name;              ///< of its game, as a ROM's file is called; for reports, too
  std::int64_t modified_ns = 0;  ///< when the progress was made, since 1970; 0: long ago
};

struct CarryRequest {
  std::vector<std::string> saves;   ///< files, or `BAY:NAME`, or names inside `from`
  std::optional<std::string> from;  ///< bay that names are looked up in, or a path to such a place
  /// Bay to carry to, or a path: a folder is understood on the spot, an existing save or card is
  /// the exact place.
  std::string to;
  std::optional<std::string> game;  ///< title, code or ROM name of the game
  bool all = false;                 ///< every save of `from`
  bool plan = false;                ///< say what would be done and write nothing
  bool whole = false;               ///< a folder there becomes exactly the save, whatever it held
  std::optional<std::string> is;    ///< layout id of the saves; nothing: work it out
  std::optional<Path> rom;          ///< the game's ROM
  std::set<Code> accept;            ///< check codes that the user lets through
  /// Account at the destination, 8 hex digits; nothing: the one that is there.
  std::optional<std::string> account;
  /// Title id or code to carry to instead of the save's own.
  std::optional<std::string> code;
  /// Of a place that keeps named copies: the copy that is meant there. Nothing: the newest of a
  /// source, a new one at the destination.
  std::optional<std::string> copy;
  std::optional<std::string> slot;  ///< of states: a number, or `free`; nothing: its own
  int wait_seconds = 0;             ///< for programs to close the files that are replaced
  std::vector<GivenSave> given;     ///< saves that are in memory already
};

enum class MoveStatus { done, planned, stopped };

[[nodiscard]] std::string_view to_string(MoveStatus status);

/// One file of a carry or undo: what happened, or would.
struct MoveReport {
  std::string move;               ///< name for `undo`; empty when nothing was written
  std::vector<std::string> from;  ///< the files that hold what is carried
  std::string to;
  MoveStatus status = MoveStatus::stopped;
  Findings checks;
  Findings losses;
  Game game;
  std::optional<System> system;
  std::string slot;     ///< of a state, there
  std::string label;    ///< name of a card's save; else empty
  std::string comment;  ///< what a card's save says about itself
  std::string from_layout;
  std::string to_layout;
  std::vector<std::string> parts;  ///< what is carried
  std::string chip;                ///< the chip, and how it is known
  std::uint64_t size = 0;          ///< of the file there, in bytes
  bool folder = false;             ///< `to` is a folder of files
  bool cartridge = false;          ///< `to` is the port of a cartridge reader
  bool replaces = false;           ///< a file is there, and its old content is kept in history
  bool nothing_to_do = false;      ///< the same progress is there already
  /// Of a folder: what becomes of the files there.
  struct Files {
    std::size_t replaced = 0;
    std::size_t added = 0;
    std::size_t same = 0;            ///< in both, and equal
    std::vector<std::string> stay;   ///< there, and not in the save
    std::vector<std::string> going;  ///< there, not in the save, and removed (kept in history)
  };
  std::optional<Files> files;
};

/// A place that is not a bay of the user's, and was understood for one command.
struct PlaceReport {
  std::string path;
  std::string words;      ///< "gb saves beside ROMs, named after them"
  bool exact = false;     ///< it is one file or folder, which is replaced
  std::string roms = {};  ///< a folder elsewhere that has the games' ROMs; may be empty
};

struct CarryReport {
  std::vector<MoveReport> moves;
  std::vector<PlaceReport> understood;
  Findings notes;               ///< what no single save is about
  std::optional<Error> failed;  ///< a place failed; the moves before it are done and stay undoable
  std::string safe_to_remove;   ///< a medium that can be taken out, and holds everything; or empty
};

/// Plans and, unless `plan` is set, does it. Errors: wrong requests and unreadable inputs; checks
/// that stop are in the report.
[[nodiscard]] Result<CarryReport> carry(Session& session, const CarryRequest& request);

/// A carry that was planned: it can be shown, and then be done as it was shown. It keeps the saves
/// in memory. The session must outlive it, and both belong to one thread at a time.
class CarryPlan {
 public:
  /// Looks and writes nothing. Errors: those of carry().
  [[nodiscard]] static Result<CarryPlan> make(Session& session, CarryRequest request);
  CarryPlan(CarryPlan&&) noexcept;
  CarryPlan& operator=(CarryPlan&&) noexcept;
  ~CarryPlan();

  /// What would be done, and what stops it.
  [[nodiscard]] const CarryReport& report() const;
  /// Does it. Each save is placed anew just before it is written, and stops with `in-use` when
  /// that is no longer what the plan showed. Errors: those of carry().
  [[nodiscard]] Result<CarryReport> execute();

 private:
  struct Made;
  CarryPlan(Session& session, std::unique_ptr<Made> made);
  Session* session_;
  std::unique_ptr<Made> made_;
};

/// Takes back the last command, or one move (`m12`). Stops when a place changed since, unless
/// `newer-there` is accepted.
[[nodiscard]] Result<CarryReport> undo(Session& session, const std::string& move,
                                       const std::set<Code>& accept);

/// Finishes or rolls back what an interrupted run left. Called by carry() and undo() themselves.
[[nodiscard]] Result<void> recover(Session& session);

}  // namespace bayswap

#pragma GCC visibility pop
