// Memory cards as files: made, shown, saves copied out and in, dropped, and rescued.
//
// A card is named by its path, or by `FILE:PART` for one inside a container (`game.srm:pak1`).
// Changes are moves: they are in history, and undo() takes them back.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session. Runs of
// several processes wait for each other.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/card.h"
#include "bayswap/carry.h"
#include "bayswap/reshape.h"
#include "bayswap/session.h"
#include "bayswap/shown_card.h"

#pragma GCC visibility push(default)

namespace bayswap {

struct NewCardRequest {
  Path out;
  std::string as;                       ///< layout id
  std::optional<std::uint32_t> blocks;  ///< that a user can fill; nothing: the family's usual card
  bool replace = false;
};

/// A formatted empty card. Errors: `unknown-layout`, `wrong-size`, `name-taken`.
[[nodiscard]] Result<OutputFile> new_card(Session& session, const NewCardRequest& request);

/// Writes every picture of every save as `NAME-1.png`, `NAME-2.png` …, at its own size. Gives the
/// paths. Errors: `name-taken` when one is there and `replace` is not set.
[[nodiscard]] Result<std::vector<Path>> write_icons(Session& session, const ShownCard& card,
                                                    const Path& folder, bool replace);

struct TakeRequest {
  std::string card;
  std::vector<std::string> names;  ///< none: all saves
  bool deleted = false;            ///< take deleted saves that are still readable
  std::optional<std::string> is;   ///< layout id of the card
  std::optional<std::string> as;   ///< layout id of the files; nothing: the family's usual one
  Path out;                        ///< folder
  bool replace = false;
  std::set<Code> accept;
};

/// Copies saves out, each to a file or folder named after it.
[[nodiscard]] Result<Reshaped> take_saves(Session& session, const TakeRequest& request);

struct PutRequest {
  std::string card;
  std::vector<std::string> files;  ///< files, folders, or `CARD:NAME`
  std::optional<std::string> is;   ///< layout id of the files
  bool plan = false;
  std::set<Code> accept;
};

/// Copies saves in: all of them, or none when a check stops one.
[[nodiscard]] Result<CarryReport> put_saves(Session& session, const PutRequest& request);

struct DropRequest {
  std::string card;
  std::vector<std::string> names;
  std::optional<std::string> is;  ///< layout id of the card
  bool plan = false;
  std::set<Code> accept;
};

struct DropReport {
  CarryReport report;
  std::vector<CardSave> saves;      ///< what goes, or would go
  std::vector<std::size_t> places;  ///< where each stood in Card::saves
};

[[nodiscard]] Result<DropReport> drop_saves(Session& session, const DropRequest& request);

struct MendRequest {
  std::string card;
  std::optional<std::string> is;  ///< layout id of the card
  Path out;
  bool replace = false;
};

struct MendReport {
  OutputFile output;
  Mended mended;

  /// A save is lost, or kept with wrong bytes.
  [[nodiscard]] bool incomplete() const;
};

/// Writes a sound card with everything that the damaged one still holds.
[[nodiscard]] Result<MendReport> mend_card(Session& session, const MendRequest& request);

}  // namespace bayswap

#pragma GCC visibility pop
