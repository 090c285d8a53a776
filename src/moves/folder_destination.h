// Where a save that is a folder goes, worked out from the shelves of a bay.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "moves/target.h"

namespace bayswap {

/// Where a save goes.
struct FolderDestination {
  Path folder;
  const Layout* layout = nullptr;
  Game game;                           ///< with the title and account that it has there
  FileNames names = FileNames::exact;  ///< of its shelf
  std::vector<Path> others = {};       ///< other saves of its title and profile, where it has names
};

/// What every way to find such a place needs.
struct FolderSearch {
  using Existing = BayScan::OnShelf;

  FolderSearch(const CarryContext& context, const Source& source, Checks& checks)
      : context(context), session(context.session), source(source), checks(checks) {}

  const CarryContext& context;
  Session& session;
  const Source& source;
  Checks& checks;
  std::vector<Existing> existing;  ///< the folders on the shelf in question

  [[nodiscard]] const Bay& bay() const { return context.bay(); }
  [[nodiscard]] const CarryRequest& request() const { return context.request; }
  /// Whether a folder there has this value.
  [[nodiscard]] bool has(const std::string& field, const std::string& value) const;
  /// The account or the profile that plays there. `own`: the save's. False when a check stopped it.
  bool pick(const char* field, std::string& own);
  /// Why a sealed save goes to no open place, or the other way.
  [[nodiscard]] std::string sealed_text() const;
  /// Folders whose names say nothing are told by how alike their files are.
  [[nodiscard]] std::optional<Path> most_alike(std::string& why);
};

/// The folder of a save at the destination. Nothing when a check stopped it: `no-match`,
/// `many-match`, `region-differs`, `other-game`.
[[nodiscard]] Result<std::optional<FolderDestination>> find_folder_destination(
    const CarryContext& context, const Source& source, Checks& checks);

/// The same on one shelf that is a title tree: the title's folder there, the account that plays,
/// and the copy that is meant. `why`: why there is none.
[[nodiscard]] Result<std::optional<FolderDestination>> find_tree_destination(
    FolderSearch& search, const Shelf& shelf, const NamingPattern& pattern,
    const FolderLayout& layout, std::string& why);

}  // namespace bayswap
