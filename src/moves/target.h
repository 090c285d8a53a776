// Where a save of one kind goes. Each kind of shelf has one implementation, listed in targets.cpp;
// the operation that carries knows none of them.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/carry.h"
#include "moves/carry_checks.h"
#include "moves/carry_source.h"
#include "moves/last_equal.h"
#include "moves/mover.h"
#include "reading/bay_scan.h"

namespace bayswap {

/// One file or folder that a save goes to: what the report says of it, and what is to be done.
struct PlacedUnit {
  MoveReport line;  ///< from, to, layout, size, what is replaced …
  std::vector<FileChange> changes;
  FileNames names = FileNames::exact;  ///< of its shelf
  /// Other saves of the command may go to the same file.
  bool shared = false;
  /// Bytes that are needed there.
  std::uint64_t room = 0;
  /// `newer-there`, when the progress that is replaced is younger or known as newer.
  std::optional<Finding> newer;
  /// Reads what was written and compares it as a save. Empty: comparing the bytes is enough.
  std::function<Result<void>(Storage&)> verify = {};
};

/// A move that a place made in its own way.
struct PlacedMove {
  std::string name;
  Findings notes;  ///< what showed while it was made
};

/// Everything that one save changes in a bay, planned and not yet done.
struct Placement {
  std::vector<PlacedUnit> units;
  std::optional<FolderSwap> swap;  ///< the changes below its folder happen by swapping it
  /// For a place that is not a file system: does it all. The move is filled in but
  /// for its steps. Empty: the mover changes files.
  std::function<Result<PlacedMove>(History&, MoveRecord)> perform = {};
  Findings losses;
};

/// What the targets of one carry share.
struct CarryContext {
  Session& session;
  const CarryRequest& request;
  RomFolders& folders;
  BayScan& there;                    ///< the bay to carry to
  const History* history = nullptr;  ///< what is known of the files there; null: nothing yet

  [[nodiscard]] const Bay& bay() const { return there.bay(); }
};

class Target {
 public:
  virtual ~Target() = default;
  /// Whether this is where the save goes.
  [[nodiscard]] virtual bool takes(const Source& source) const = 0;
  /// Whether the file moves as it is, so that nobody needs to understand it.
  [[nodiscard]] virtual bool moves_unread() const { return false; }
  /// Works out the place. `line` is what the report says so far: units begin with it, and the place
  /// may know the game better. Nothing when a check stopped it. Errors: unreadable files; those of
  /// Trouble::stopped count as checks.
  [[nodiscard]] virtual Result<std::optional<Placement>> place(const Source& source,
                                                               MoveReport& line,
                                                               Checks& checks) = 0;
};

/// All kinds of targets, in the order in which they are asked.
[[nodiscard]] std::vector<std::unique_ptr<Target>> targets_for(const CarryContext& context);

/// `both-changed` when it and the source went on since they were last equal; `newer-there` for a
/// file that would be replaced by `becomes`: history knows that as an older version of what is
/// there, or what is there was made later. Nothing without another progress there. `replaced_ns`:
/// when what is there was made.
struct ReplacedFile {
  Path path;
  Digest now{};
  std::int64_t modified_ns = 0;
  FileNames names = FileNames::exact;
  std::uint64_t size = 0;  ///< bytes
  SinceEqual since = {};   ///< of a save that is not the whole file
};
[[nodiscard]] std::optional<Finding> newer_there(const ReplacedFile& replaced,
                                                 const std::optional<Digest>& becomes,
                                                 const Source& source, const History* history);

/// A file that moves whole: the unit, with the change that puts the bytes there.
[[nodiscard]] Result<PlacedUnit> place_whole_file(const CarryContext& context, const Source& source,
                                                  const MoveReport& line, const Path& path,
                                                  FileNames names, Bytes bytes);

/// `read-back`, for a file that was written and reads back as another save.
[[nodiscard]] tl::unexpected<Error> reads_back_as_another(const Path& path);

/// The second file of a layout that needs two, beside `path`.
[[nodiscard]] Result<FileChange> change_beside(Storage& storage, const Path& path,
                                               const Layout& layout, Bytes second_file);

/// `before`: what the file holds now; nothing where there is none.
[[nodiscard]] FileChange change_to(Path path, Bytes content, std::optional<Digest> before);

}  // namespace bayswap
