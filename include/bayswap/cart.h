// A cartridge in a reader: looked at, dumped, and written so that one knows that it took.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session. Runs of
// several processes wait for each other where they write.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/carry.h"
#include "bayswap/reshape.h"
#include "bayswap/save.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// How to reach a reader.
struct CartAccess {
  /// A device, `pty:PATH`, `run:PROGRAM ARGS`, or the name of a reader's bay; nothing: the only one
  /// that answers.
  std::optional<std::string> port;
  /// The reader's switch has to be moved to so many millivolts: called again and again until it
  /// is, or until it says false. Empty: the call fails instead.
  std::function<bool(int millivolts)> wait_for_switch;
};

/// A serial device of this machine, or what a session tries besides.
struct FoundPort {
  std::string port;
  std::string description;
  bool answers = false;
  std::string reader;  ///< its name, where it answers
};
/// All serial devices, each asked whether it is a reader; that takes up to three seconds for each.
[[nodiscard]] std::vector<FoundPort> find_readers();

/// What is in a reader.
struct CartReport {
  std::string port;
  std::string device;  ///< the reader's name
  std::string serial;  ///< of the reader
  int volts_mv = 0;    ///< millivolts
  System system = System::gb;
  Game game;
  std::vector<Chip> chips;                ///< as the reader finds them
  std::optional<std::uint64_t> rom_size;  ///< bytes
  std::string rom_size_by;                ///< what tells it
  bool contacts_steady = true;            ///< the header read the same each time
  Findings findings;
};
/// Errors: `link-lost`, `no-cartridge`, `wrong-volts`, `reader-failed`, `unsteady`, `many-match`.
[[nodiscard]] Result<CartReport> look_cart(Session& session, const CartAccess& access);

enum class CartPart { rom, save, both };

struct CartDumpRequest {
  CartPart what = CartPart::both;
  Path out;               ///< a file; for both, or when it is a folder, a folder
  bool like_rom = false;  ///< name the save as the ROM of the game that lies in that folder
  bool replace = false;   ///< overwrite existing files
};
struct CartDumped {
  CartReport cartridge;
  std::vector<OutputFile> outputs;
  Findings findings;
  std::optional<Error> stopped;  ///< why nothing, or only a part, was written
  bool unsure = false;           ///< a file holds pages that read differently each time
  std::string move;              ///< name for undo(); may be empty
};
/// Saves are read twice and compared; so are ROMs without a checksum of their own. A ROM that was
/// cut off leaves `OUT.part`, and goes on from there. Errors: those of look_cart(), `cancelled`.
[[nodiscard]] Result<CartDumped> dump_cart(Session& session, const CartAccess& access,
                                           const CartDumpRequest& request);

struct CartWriteRequest {
  Path save;
  std::optional<std::string> is;  ///< its layout; nothing: work it out
  std::set<Code> accept;
  bool plan = false;  ///< say what would be done and write nothing
};
/// Writes a save onto the cartridge. What is there goes into history first. The only line of the
/// report says how it ended. Errors: those of look_cart(); Trouble::read_back when the cartridge
/// does not hold the new save.
[[nodiscard]] Result<CarryReport> write_cart(Session& session, const CartAccess& access,
                                             const CartWriteRequest& request);

/// Takes back a move that wrote a cartridge. `access.port`: nothing: that of the move.
[[nodiscard]] Result<CarryReport> undo_cart(Session& session, CartAccess access,
                                            const std::string& move, const std::set<Code>& accept);
/// Whether the move, or the last command for an empty name, wrote a cartridge.
[[nodiscard]] bool wrote_cart(Session& session, const std::string& move);

}  // namespace bayswap

#pragma GCC visibility pop
