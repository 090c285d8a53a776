// What is it? Files and folders, identified and judged.
//
// Library bayswap_reading. Calls use a session: one thread at a time for each session.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "bayswap/layout.h"
#include "bayswap/session.h"
#include "bayswap/shown_card.h"
#include "bayswap/state.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Cells of the strips that show where something lies in a part.
inline constexpr std::size_t kStripCells = 24;

struct PartInfo {
  std::string name;
  std::uint64_t size = 0;  ///< bytes
  bool blank = false;
  std::string sha256;            ///< lower-case hex; empty when hashes were not asked for
  std::vector<unsigned> filled;  ///< per cell: percent of bytes that are not erased
};

/// One save of a card.
struct SaveInfo {
  std::string name;
  std::string comment;
  std::uint32_t blocks = 0;
  std::uint64_t size = 0;  ///< bytes of its files; of its blocks where it has only those
  std::string layout;      ///< of a file inside an archive
  /// Of one that only its size and its name speak for: what it may be, best first.
  std::vector<std::string> candidates;
  Game game;
  std::vector<PartInfo> parts;
  std::optional<Time> modified;
  Findings findings;
};

struct CardTotals {
  std::uint32_t blocks_total = 0;  ///< that a user can fill
  std::uint32_t blocks_free = 0;
};

/// One file that was looked at.
struct Item {
  std::string path;
  std::uint64_t size = 0;
  std::int64_t file_modified_ns = 0;  ///< of the file, nanoseconds since 1970; 0: not known
  std::optional<System> system;
  std::optional<Kind> kind;
  std::string layout;
  std::optional<Confidence> confidence;
  std::string reason;        ///< why this layout
  std::uint64_t header = 0;  ///< bytes of an unknown header in front of the body
  /// Layouts that it may have just as well, best first. Without a `layout`, only its size speaks
  /// for any of them.
  std::vector<std::string> candidates;
  Game game;
  std::string rom;  ///< the ROM that the game was taken from
  std::string comment;
  std::string name;              ///< of a card's save outside of a card
  std::optional<Time> modified;  ///< as the save itself says
  std::optional<bool> blank;
  /// What a folder's own files say about the save: names and values, in their order.
  std::vector<std::pair<std::string, std::string>> details;
  std::vector<PartInfo> parts;
  std::optional<CardTotals> card;
  std::vector<SaveInfo> saves;     ///< of a card, or inside an archive
  bool package = false;            ///< one title's files in one; `saves` are plain files
  bool archive = false;            ///< the file is an archive; `saves` are named by their paths
  std::string slot;                ///< of a state, as its shelf or its name tells
  std::optional<StateInfo> state;  ///< what a state says about itself
  std::size_t other_files = 0;     ///< in an archive, that are no saves
  std::vector<SaveInfo> deleted;   ///< of a card, still readable
  Findings findings;
  // Of a ROM:
  std::optional<int> version;
  std::optional<bool> header_ok;
  std::optional<std::vector<Chip>> chips;
  std::string chips_from;  ///< `header` or `catalog`
};

struct LookOptions {
  std::optional<std::string> is;  ///< layout id that the user says; nothing: work it out
  std::optional<Path> rom;        ///< the ROM that the user says
  bool hashes = false;
  bool brief = false;  ///< states are told apart, and not looked into
};

/// Where two files of one save differ in a part.
struct PartDifference {
  std::string part;  ///< `file` when the files are compared as they are
  std::uint64_t size = 0;
  std::uint64_t differing = 0;  ///< bytes
  std::vector<std::pair<std::uint64_t, std::uint64_t>>
      ranges;  ///< first and last byte, the first 16
  bool more_ranges = false;
  std::vector<unsigned> strip;  ///< per cell: percent of bytes that differ
};

/// Compares two dumps of one cartridge, chip by chip in the hardware's order.
[[nodiscard]] Result<std::vector<PartDifference>> compare(Session& session, const Path& a,
                                                          const Path& b,
                                                          const LookOptions& options);

/// A card that was shown, as an item.
[[nodiscard]] Item item_of(const ShownCard& shown, bool hashes);

/// Whether the folder is one save, and look() gives one item for it.
[[nodiscard]] bool is_folder_save(Session& session, const Path& folder, const LookOptions& options);

/// Looks at a file, or through a folder in the order of names, and hands each item on. Errors: the
/// path is missing or unreadable, or the options make no sense.
[[nodiscard]] Result<void> look(Session& session, const Path& path, const LookOptions& options,
                                const std::function<void(const Item&)>& sink);

}  // namespace bayswap

#pragma GCC visibility pop
