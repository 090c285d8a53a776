// What this device remembers of its hub: who it is there, what each save in its bays was when it
// was last in step, and the journals as far as they were read.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/session.h"
#include "core/sync/decide.h"
#include "files/turn_lock.h"
#include "hub/seal.h"

namespace bayswap {

/// One save of a bay.
struct LocalRecord {
  Agreed agreed;
  bool missing = false;    ///< it was not there at the last sync
  bool forgotten = false;  ///< and somebody let it go
};

struct LocalState {
  std::string where;                 ///< the hub's folder or URL; empty: none is joined
  std::string hub;                   ///< its id
  std::string device;                ///< this device's id there
  std::string name;                  ///< and name
  std::uint64_t entries = 0;         ///< that it wrote
  std::string last_hash;             ///< of the last of them
  std::string pending_hash;          ///< of the one that was being written when this was kept
  std::int64_t objects_seen_ns = 0;  ///< when the objects on the hub were listed last
  std::map<std::string, LocalRecord> saves;  ///< by bay and key
};

/// What tells that nothing is to do, without the rest: of bays in which nothing was left to do.
struct QuietState {
  std::string where;
  std::string hub;
  std::string device;
  struct Quiet {
    std::string stamp;      ///< of its files; see stamp_of_bay()
    std::size_t saves = 0;  ///< that were in step
  };
  std::int64_t objects_seen_ns = 0;  ///< as in LocalState
  std::string entries;               ///< of the journals, that this is about; see entries_stamp()
  std::map<std::string, Quiet> bays;
};

/// Whether it is a day since the objects on the hub were listed; a clock that was set back counts.
[[nodiscard]] bool is_listing_due(std::int64_t seen_ns, std::int64_t now_ns);

/// The folder of Bay Swap's own that holds all this.
class StateFolder {
 public:
  StateFolder(Storage& storage, Path folder) : storage_(&storage), folder_(std::move(folder)) {}

  /// Whether a hub is joined, without reading the rest where that is not needed.
  [[nodiscard]] Result<bool> is_joined() const;
  /// An empty state where none is kept. Errors: `unreadable` for one that can't be read.
  [[nodiscard]] Result<LocalState> load() const;
  Result<void> save(const LocalState& state) const;
  /// Says nothing of any bay where it can't be read.
  [[nodiscard]] QuietState load_quiet() const;
  Result<void> save_quiet(const QuietState& state) const;

  /// Entries of a hub's journals that were read, by their names, packed as on the hub.
  [[nodiscard]] Result<std::vector<std::string>> entry_names(const std::string& hub) const;
  /// Other as soon as one more entry is known, whichever command fetched it.
  [[nodiscard]] Result<std::string> entries_stamp(const std::string& hub) const;
  [[nodiscard]] Result<Bytes> entry(const std::string& hub, const std::string& name) const;
  Result<void> keep_entry(const std::string& hub, const std::string& name, ByteView packed) const;

  /// The secret of a sealed hub, readable by the user only; nothing when none is kept. Errors:
  /// `unreadable`.
  [[nodiscard]] Result<std::optional<SealSecret>> secret(const std::string& hub) const;
  Result<void> keep_secret(const std::string& hub, const SealSecret& secret) const;

  /// One run at a time changes what is remembered; others wait. Errors: `history-failed` when
  /// another run does not end.
  [[nodiscard]] Result<TurnLock> take_turn() const;

 private:
  Storage* storage_;
  Path folder_;
};

}  // namespace bayswap
