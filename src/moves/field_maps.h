// Field maps of the user, and saves seen through them.
#pragma once

#include <memory>
#include <optional>
#include <string>

#include "bayswap/fields.h"
#include "core/fields/field_view.h"
#include "moves/carry_source.h"

namespace bayswap {

using FieldMapPtr = std::shared_ptr<const fields::FieldMap>;

/// What is known of a save when a map is looked for.
struct MapWanted {
  System system = System::gb;
  Game game;
  std::string stem;
};

/// The user's maps, and the one of them that fits a save. Maps are `maps/*.toml` in the settings'
/// folder.
class FieldMaps {
 public:
  explicit FieldMaps(Session& session) : session_(session) {}
  /// Whether the user has any.
  [[nodiscard]] bool has_any();
  /// Errors: `bad-map`, `missing`.
  [[nodiscard]] Result<FieldMapPtr> read(const Path& path);
  /// The part of the save that a map is for; null when it does not fit.
  [[nodiscard]] static const Part* part_for(const fields::FieldMap& map, const Save& save);
  /// Errors: `no-match`, `many-match`. A map that can't be read is left out here, and named in the
  /// error when none fits.
  [[nodiscard]] Result<FieldMapPtr> find(const Save& save, const Game& game,
                                         const std::string& stem);

  /// The layout that a file is read by so that one of the maps fits, where nothing but the map's
  /// marks tells what it is; nothing when none does, or several.
  [[nodiscard]] std::optional<std::string> layout_for(ByteView file);
  /// What became of the fields between two contents of a file, or of a save, in words: `lamp oil 7
  /// to 0 l`; nothing where no map of the title fits both.
  [[nodiscard]] std::optional<std::string> change_in_words(const std::string& title, ByteView older,
                                                           ByteView newer);
  [[nodiscard]] std::optional<std::string> change_in_words(const Game& game, const Save& older,
                                                           const Save& newer);

 private:
  void load();

  Session& session_;
  bool loaded_ = false;
  std::vector<FieldMapPtr> maps_;
  std::vector<Error> bad_;
};

/// A save with its map.
struct MappedSave {
  Source source;
  std::string place;  ///< the session's bay, or what stands for the file
  FieldMapPtr map;
  std::string part;
  Game game;
  std::optional<fields::FieldView> view;
};

/// A save that an address means, and the place where it lies; no map yet. Errors: those of reading;
/// `no-match`, `many-match`.
[[nodiscard]] Result<MappedSave> open_unmapped(Session& session, const FieldRequest& request);

/// Errors: those of reading and of FieldMaps.
[[nodiscard]] Result<MappedSave> open_mapped(Session& session, const FieldRequest& request);

/// `lamp oil 7 to 0 l, baskets 41 to 77 and 3 more`.
[[nodiscard]] std::string words_of(const std::vector<FieldChange>& changes);

/// What differs between two contents of one part, as fields; nothing when the map does not fit
/// both.
[[nodiscard]] std::optional<std::vector<FieldChange>> changes_between(const FieldMapPtr& map,
                                                                      const Bytes& older,
                                                                      const Bytes& newer);

}  // namespace bayswap
