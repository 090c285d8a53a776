// Bays: places that hold saves, and the rules that say where in them.
//
// Library bayswap_places. A session and what belongs to it are used by one thread at a time;
// several sessions may be used by several threads.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/catalog.h"
#include "bayswap/game.h"
#include "bayswap/layout.h"
#include "bayswap/progress.h"
#include "bayswap/result.h"
#include "bayswap/storage.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// What names the file system of a place keeps.
enum class FileNames {
  exact,     ///< every name is a file of its own
  any_case,  ///< names that differ in case only are one file
  fat,       ///< the same, without `" * : < > ? \ |`, and with times of two seconds
};

[[nodiscard]] std::string_view to_string(FileNames names);
[[nodiscard]] std::optional<FileNames> parse_file_names(std::string_view id);

/// One rule of a bay: for this system, these saves lie under this naming pattern in this layout.
struct Shelf {
  System system = System::snes;
  Kind kind = Kind::battery;
  std::string pattern;
  /// One or more: the game's chip decides which. None for states, whose form nobody knows.
  std::vector<std::string> layout;
  std::string roms;  ///< the system's ROMs: a folder below the place, or a full path; may be empty

  // What learning saw; not part of the file.
  std::size_t explains = 0;
  std::size_t of = 0;
  std::vector<std::string> examples;

  FileNames names = FileNames::exact;  ///< what the place's file system keeps
};

struct Bay {
  std::string name;
  Path place;
  std::vector<Shelf> shelves;
  std::vector<std::string> unexplained;  ///< relative path and reason; not part of the file
  std::vector<std::string> questions;    ///< what learning could not settle; not part of the file
  /// Its shelves are one file or folder, which takes the save that is brought, whatever its name;
  /// only of a place that a user named for one command.
  bool exact = false;
  /// A cartridge reader: its port. Then `place` is not a folder, and there are no shelves.
  std::optional<std::string> port = {};
};

/// The user's bays, in the order of bays.toml.
class BayList {
 public:
  /// A missing file is an empty list. Errors: `bad-bays` with line and column.
  [[nodiscard]] static Result<BayList> load(Storage& storage, const Path& file);
  /// Checks that every pattern, layout and system can be used.
  [[nodiscard]] static Result<BayList> parse(std::string_view toml, const std::string& name);

  [[nodiscard]] const std::vector<Bay>& bays() const { return bays_; }
  /// Errors: `unknown-bay`, with the known names in the hint.
  [[nodiscard]] Result<const Bay*> find(std::string_view name) const;

  /// Adds or replaces a bay in this list alone, without a word in any file. Its name may be any
  /// text. Pointers into bays() are no longer valid.
  void add_for_now(Bay bay);

  /// Adds what was learned anew. A bay of the same place keeps its shelves and every word of its
  /// text; only shelves for files that none of them explains are added. Gives the bay as it is
  /// then.
  [[nodiscard]] Result<Bay> put_learned(Storage& storage, const Path& file, const Bay& learned);
  /// Adds or replaces the bay in the file; everything else in it stays as it is written.
  Result<void> put(Storage& storage, const Path& file, const Bay& bay);
  Result<void> remove(Storage& storage, const Path& file, std::string_view name);

 private:
  Result<void> change(Storage& storage, const Path& file,
                      const std::function<Result<std::string>(const BayList&)>& edit);

  std::vector<Bay> bays_;
  std::string text_;
};

/// What lies on a shelf of this pattern and layout: folders where the layout is one; a card that is
/// also a part of a cartridge's save counts as one where every game has its own, and as a card
/// where games share it.
[[nodiscard]] Kind kind_on_shelf(std::string_view pattern, const Layout& layout);

/// Letters, digits, `-` and `_`: what a bay may be called.
[[nodiscard]] bool is_bay_name(std::string_view name);

/// Looks at what lies in a place and works its shelves out: ROMs by their headers, saves by their
/// content, and the naming pattern that explains most names. Errors: `missing`, `no-match` when
/// nothing was found that a rule could be made of.
/// `progress` may be null; it is asked between files and what follows from them (`cancelled`).
/// `system`: of title folders whose names do not tell it. `roms`: a folder elsewhere with the ROMs
/// of these saves.
[[nodiscard]] Result<Bay> learn_bay(Storage& storage, const Catalog& catalog, std::string name,
                                    const Path& place, Progress* progress = nullptr,
                                    std::optional<System> system = {},
                                    const std::optional<Path>& roms = {});

/// A bay that is a cartridge reader at a port. Errors: `usage` for a name that is none.
[[nodiscard]] Result<Bay> reader_bay(std::string name, const std::string& port);

/// Fills in what the file does not keep: how much each shelf explains, examples and leftovers.
void survey_bay(Storage& storage, const Catalog& catalog, Bay& bay);

}  // namespace bayswap

#pragma GCC visibility pop
