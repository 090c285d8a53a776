// Saves that are folders in a carry: found, and brought to the folder of their title and account.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "moves/carry_checks.h"
#include "moves/carry_source.h"
#include "moves/mover.h"

namespace bayswap {

/// The saves in a folder that is one, or a title's folder, or holds several. Nothing when there is
/// none. Shared files of a title are no save of their own.
[[nodiscard]] Result<std::optional<std::vector<Source>>> read_folder_sources(
    Session& session, const std::string& text, const CarryRequest& request);

/// The saves on the shelves of a bay that hold folders.
[[nodiscard]] std::vector<Source> read_shelf_folders(Session& session, const Bay& bay);

/// The time of the newest file in a folder, in nanoseconds since 1970; 0 when there is none.
[[nodiscard]] std::int64_t newest_below(Storage& storage, const Path& folder);

/// Where a save goes, and which files change there.
struct FolderTarget {
  Path folder;
  const Layout* layout = nullptr;
  Game game;                           ///< with the title and account that it has there
  FileNames names = FileNames::exact;  ///< of its shelf
  bool replaces = false;
  bool already_there = false;
  std::uint64_t size = 0;  ///< bytes of the save's files
  std::vector<FileChange> changes;
  std::map<std::string, FolderSwap::Seen> seen;  ///< what the plan saw there
  MoveReport::Files files;
  std::int64_t there_modified_ns = 0;  ///< of the newest file that it replaces
};

/// Adds `no-match`, `many-match`, `region-differs` and `newer-there` to the checks.
[[nodiscard]] Result<std::optional<FolderTarget>> make_folder_target(Session& session,
                                                                     const Bay& bay,
                                                                     const Source& source,
                                                                     const CarryRequest& request,
                                                                     Checks& checks);

/// A shared file that the title needs and that lies elsewhere in the tree.
struct CompanionFile {
  Path from;
  Path to;
  std::optional<FileChange> change;  ///< nothing: it is left as it is
  Finding note;
};
/// What the catalog says a title needs besides its own folder.
[[nodiscard]] Result<std::vector<CompanionFile>> make_companions(Session& session, const Bay& bay,
                                                                 const Source& source);

}  // namespace bayswap
