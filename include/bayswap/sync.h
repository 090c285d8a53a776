// Bays and devices kept in step: the newest progress of each game everywhere, bad saves nowhere,
// and conflicts never settled by chance.
//
// Library bayswap_sync. Calls use a session: one thread at a time for each session. Two runs on one
// device wait for each other; devices never write the same file of a hub.
#pragma once

#include <cstdint>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "bayswap/carry.h"
#include "bayswap/versions.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Which save, and what became of it.
struct SyncItem {
  Game game;
  System system = System::snes;
  Kind kind = Kind::battery;
  std::string label;              ///< name of a card's save; else empty
  std::string comment;            ///< what a card's save says about itself; may be empty
  std::string slot;               ///< of a state; else empty
  std::string bay;                ///< here; empty when it is about no bay
  std::string device;             ///< name of the device that made the version known
  std::string version;            ///< its id on the hub; may be empty
  std::int64_t time_ns = 0;       ///< when the progress was made, by that device's clock
  std::uint64_t size = 0;         ///< bytes of all parts
  std::optional<Finding> reason;  ///< why it is held back, missing or not matched
  std::string move;               ///< name for undo(); empty when nothing was written
  /// Of a conflict: the versions that nothing follows.
  struct Side {
    std::string device;
    std::string bay;
    std::string version;
    std::int64_t time_ns = 0;
    std::uint64_t size = 0;
    std::uint64_t filled = 0;  ///< bytes that are not erased
  };
  std::vector<Side> sides;
  std::string differs;  ///< of a conflict: the fields that do, where a field map fits; or empty
};

struct SyncReport {
  bool plan = false;
  std::vector<SyncItem> published;  ///< made known to the others
  std::vector<SyncItem> carried;    ///< newer elsewhere, and carried here
  std::vector<SyncItem> conflicts;  ///< both changed: nothing is replaced
  std::vector<SyncItem> held;       ///< not made known or not carried, and why
  std::vector<SyncItem> missing;    ///< was here and is not: it does not return by itself
  std::vector<SyncItem> unmatched;  ///< on the hub, and no bay here tells its place
  std::vector<SyncItem> settled;    ///< conflicts that this run settled
  std::size_t in_step = 0;          ///< saves that are the same everywhere
  Findings notes;                   ///< damaged entries, a new device id …
  std::optional<Error> failed;      ///< the hub or a bay can't be reached: the rest is in step
  bool damaged = false;             ///< something on the hub is; notes say what
  std::string safe_to_remove;       ///< a medium that can be taken out, and holds everything

  /// Conflicts, or saves that are held back.
  [[nodiscard]] bool needs_somebody() const { return !conflicts.empty() || !held.empty(); }
};

struct SyncRequest {
  std::vector<std::string> bays;  ///< names; empty: all
  bool plan = false;              ///< say what would be done and write nothing
  bool states = true;             ///< snapshots of programs too
  std::set<Code> accept;          ///< reasons to hold a save back that the user lets through
  /// Settles a conflict: the game, and which version of it is taken: `DEVICE`, `DEVICE:BAY`, either
  /// with `@VERSION` behind it, or `@VERSION` alone.
  std::optional<std::string> take;
  std::optional<std::string> take_from;
  std::optional<std::string> bring;   ///< a game that is missing or not matched here: carry it
  std::optional<std::string> forget;  ///< a game that is missing here: it is let go
};

/// Brings bays and the hub in step; without a hub, the bays that are named. Errors: `usage`,
/// `unknown-bay`, `no-match` and `many-match` for a game or version; `hub-failed` and `hub-differs`
/// when there is nothing to read on the hub.
[[nodiscard]] Result<SyncReport> sync(Session& session, const SyncRequest& request);

struct HubReport {
  std::string where;
  std::string id;
  std::string device;  ///< this device's name
  struct Device {
    std::string name;
    std::string id;
    bool own = false;
    std::int64_t seen_ns = 0;  ///< when it wrote last, by its clock
    std::size_t entries = 0;
    std::size_t newest = 0;  ///< saves whose newest version is its
  };
  std::vector<Device> devices;
  std::size_t saves = 0;
  std::size_t versions = 0;
  std::size_t waiting = 0;  ///< versions that follow unknown ones
  std::size_t conflicts = 0;
  std::uint64_t bytes = 0;          ///< of all versions' contents, each content counted once
  std::vector<SyncItem> unsent;     ///< saves here that are not on the hub yet
  std::vector<SyncItem> unmatched;  ///< on the hub, and no bay here tells its place
  bool sealed = false;              ///< names and contents on it say nothing to who keeps it
  /// What other devices need to join a sealed hub; only when join_hub() has just made it. Never to
  /// be written anywhere.
  std::optional<std::string> words;
  Findings notes;
};

/// Joins a hub, or makes one in an empty place. `device`: how this device is called there; nothing:
/// the machine's name. `seal`: the new hub is encrypted; one that is there and sealed asks for its
/// words (Session::ask_words). Errors: `hub-failed`, `hub-differs`; `usage` when a hub is joined
/// already, the words are wrong or missing, or the hub is there and not sealed.
[[nodiscard]] Result<HubReport> join_hub(Session& session, const std::string& where,
                                         const std::optional<std::string>& device,
                                         bool seal = false);
/// Looks at the bays too. Errors: `no-match` when no hub is joined; `hub-failed`, `hub-differs`.
[[nodiscard]] Result<HubReport> show_hub(Session& session);
/// Forgets the hub here; what lies on it and in the bays stays. Gives where it was.
[[nodiscard]] Result<std::string> leave_hub(Session& session);

struct HubChecked {
  std::size_t entries = 0;
  std::size_t objects = 0;
  Findings damaged;  ///< entries and objects that are missing or do not hold what their names say
  Findings mended;   ///< of them, what this device wrote and has put there again
};
/// Reads and hashes everything on the hub, and mends this device's own journal. Errors as
/// show_hub(); `cancelled`.
[[nodiscard]] Result<HubChecked> check_hub(Session& session);

struct HubTidied {
  std::size_t versions = 0;  ///< let go
  std::size_t objects = 0;   ///< removed
  std::uint64_t bytes = 0;   ///< of their contents
};
/// Lets versions go that are followed by at least `keep` others and older than `days`. Never a
/// newest one, nor one of a conflict. Errors as show_hub().
[[nodiscard]] Result<HubTidied> tidy_hub(Session& session, std::size_t keep, int days, bool plan);

/// The versions that the hub has of the saves that a title, label or code means; all for an empty
/// text. Their ids (`@12ab34cd`) are what SyncRequest::take_from takes. Errors as show_hub();
/// `no-match`.
[[nodiscard]] Result<std::vector<SaveHistory>> hub_history(Session& session,
                                                           const std::string& text);

/// The same as plain files in a new folder: each version in a folder of its own. Gives the files.
/// Errors as hub_history(); `name-taken`.
[[nodiscard]] Result<std::vector<Path>> export_hub(Session& session, const std::string& text,
                                                   const Path& folder);

}  // namespace bayswap

#pragma GCC visibility pop
