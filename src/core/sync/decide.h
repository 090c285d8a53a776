// What a sync does with a save: the rules alone, without files and hubs.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/finding.h"
#include "core/sync/version_graph.h"

namespace bayswap {

/// What a place and the hub last agreed on.
struct Agreed {
  std::string version;
  Digest progress{};
  /// Since then the save was missing, blank or held back: what a program makes after that does not
  /// follow from what it was.
  bool interrupted = false;
};

/// A save as it lies in a bay now.
struct LocalSave {
  SaveIdentity identity;
  Digest progress{};
  std::uint64_t size = 0;    ///< bytes of all parts
  std::uint64_t filled = 0;  ///< of them, not erased
  bool blank = false;
  bool put_on_purpose = false;     ///< undo or restore put it there
  std::optional<Finding> problem;  ///< why it is not a good save, as far as it shows
  std::optional<Agreed> agreed;
};

enum class LocalStep {
  same,     ///< nothing changed here
  adopt,    ///< a version says the same: it is that one
  publish,  ///< a new version
  hold,     ///< it is not made known, and not replaced
  leave,    ///< a blank save of a game that never was in step here: as good as none
};

struct LocalDecision {
  LocalStep step = LocalStep::same;
  std::string version;               ///< same, adopt: the version that lies here
  std::vector<std::string> parents;  ///< publish: what the new version follows
  Finding reason;                    ///< hold: why
};

/// `history`: of the save, as far as it is known; may be null. `accept`: reasons that the user lets
/// through.
[[nodiscard]] LocalDecision decide_local(const LocalSave& save, const VersionGraph& graph,
                                         const SyncedSave* history, const std::set<Code>& accept);

enum class PlaceStep {
  in_step,   ///< what lies there is the newest
  bring,     ///< the newest is to be carried there
  conflict,  ///< several are newest
};

struct PlaceDecision {
  PlaceStep step = PlaceStep::in_step;
  std::string version;  ///< the newest; of a conflict none
};

/// What becomes of a place that holds `version` (empty: nothing).
[[nodiscard]] PlaceDecision decide_place(const VersionGraph& graph, const SyncedSave& history,
                                         const std::string& version);

}  // namespace bayswap
