// What lies in a bay, found out once for a command. Nothing else walks a bay while saves are
// carried to it or from it.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/bay.h"
#include "bayswap/card.h"
#include "bayswap/naming.h"
#include "bayswap/state.h"
#include "places/find_folders.h"
#include "places/inspect.h"
#include "places/name_fields.h"
#include "places/title_trees.h"
#include "places/walk.h"

namespace bayswap {

/// A memory card in a file of a bay.
struct ScannedCard {
  const CardLayout* layout = nullptr;
  std::shared_ptr<const Bytes> bytes;
  Card card;
};

class BayScan {
 public:
  /// `folders` and `bay` must outlive the scan. Nothing is read until it is asked for.
  BayScan(Session& session, RomFolders& folders, const Bay& bay)
      : session_(session), folders_(folders), bay_(bay) {}

  [[nodiscard]] const Bay& bay() const { return bay_; }
  /// Every file, in the order of names.
  [[nodiscard]] const std::vector<WalkedFile>& files();
  /// Folders that can't be listed, and why.
  [[nodiscard]] const std::vector<Error>& unreadable();
  /// Folders that are saves.
  [[nodiscard]] const std::vector<FoundFolder>& folder_saves();

  /// Something that lies where a shelf's pattern says, and the values in its path.
  struct OnShelf {
    Path path;
    FileInfo info;
    Fields fields;
  };
  [[nodiscard]] const std::vector<OnShelf>& files_on(const Shelf& shelf);
  /// Folders with files in or below them. Not those that all accounts of a title share.
  [[nodiscard]] const std::vector<OnShelf>& folders_on(const Shelf& shelf);
  /// Saves on a title tree. Where some folders tell their titles, others beside them are none.
  struct OnTree {
    Path path;
    Fields fields;
    TitleFolderName title;
  };
  [[nodiscard]] std::vector<OnTree> tree_saves(const Shelf& shelf);
  /// What stands for `{title}` in the names on a shelf.
  [[nodiscard]] TitleStyle titles_on(const Shelf& shelf);

  [[nodiscard]] const RomIndex& roms_of(const Shelf& shelf) {
    return folders_.of_shelf(bay_, shelf);
  }
  /// The ROMs of all shelves for cartridges and states, each once. No system: of all systems.
  [[nodiscard]] std::vector<const RomFile*> roms_for(std::optional<System> system);

  /// The card that a file on a shelf is; null when it is none of the shelf's layouts.
  [[nodiscard]] const ScannedCard* card_in(const Shelf& shelf, const Path& file);
  /// The program that made the state in a file; null when it is not a state that can be read.
  [[nodiscard]] const StateMaker* state_maker_of(const Path& file);

  /// A move put this content there, or a plan would. Later saves of the command see it.
  void put(const Path& file, std::optional<Bytes> content);

 private:
  struct ShelfContents {
    std::optional<NamingPattern> pattern;
    std::optional<std::vector<OnShelf>> files;
    std::optional<std::vector<OnShelf>> folders;
    std::optional<TitleStyle> titles;
  };
  [[nodiscard]] ShelfContents& contents_of(const Shelf& shelf);
  [[nodiscard]] Result<std::shared_ptr<const Bytes>> content_of(const Path& file);
  void walk();

  Session& session_;
  RomFolders& folders_;
  const Bay& bay_;
  std::optional<std::vector<WalkedFile>> files_;
  std::vector<Error> unreadable_;
  std::optional<std::vector<FoundFolder>> folder_saves_;
  std::map<const Shelf*, ShelfContents> shelves_;
  std::map<Path, std::shared_ptr<const Bytes>> put_;
  std::map<std::pair<const Shelf*, Path>, std::optional<ScannedCard>> cards_;
  std::map<Path, std::optional<StateMaker>> makers_;
};

}  // namespace bayswap
