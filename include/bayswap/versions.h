// The versions of saves that history keeps: seen, brought back, kept on request, and looked after.
//
// Library bayswap_moves. Calls use a session: one thread at a time for each session. Runs of
// several processes wait for each other.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "bayswap/carry.h"
#include "bayswap/session.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// What a save was at one time.
struct Version {
  std::string id;            ///< `v12`, as restore() takes it
  std::int64_t time_ns = 0;  ///< when it came to be there, nanoseconds since 1970
  std::uint64_t size = 0;    ///< bytes, of all its files
  std::string reason;        ///< what Bay Swap did then, or found
  std::string sha256;        ///< lower-case hex; of single files, when hashes were asked for
  std::string change;        ///< what differs from the version before, in words
  bool there_now = false;
  bool whole = true;  ///< false: retention let some of its content go
};

/// The versions of one save, oldest first.
struct SaveHistory {
  Path path;  ///< a file, or the folder of its files
  std::string bay;
  std::string title;
  std::vector<Version> versions;
};

struct HistoryRequest {
  /// A path, `BAY:NAME`, or a title or part of a file's name; nothing: every save.
  std::optional<std::string> save;
  bool hashes = false;
  bool changes = true;  ///< say what differs between versions
};

/// Errors: `no-match` when history knows no such save.
[[nodiscard]] Result<std::vector<SaveHistory>> list_history(Session& session,
                                                            const HistoryRequest& request);

struct RestoreRequest {
  std::string save;  ///< as in HistoryRequest; it must fit one save only
  std::string at;    ///< a version's id
  bool plan = false;
};

/// Brings a version back as a move like any other: what is there goes into history first. Errors:
/// `no-match`, `many-match`, `in-use`, `place-failed`, `read-back`.
[[nodiscard]] Result<CarryReport> restore(Session& session, const RestoreRequest& request);

struct KeepRequest {
  std::vector<std::string> places;    ///< bays by name, files, or folders
  std::optional<std::string> reason;  ///< for people
};

struct KeptSave {
  Path path;
  std::string version;
  std::uint64_t size = 0;  ///< bytes
};

struct KeepReport {
  std::vector<KeptSave> kept;
  std::size_t unchanged = 0;  ///< saves whose newest version history has already
  Findings findings;          ///< what could not be read
};

/// Puts what is there now into history. ROMs are left out. Errors: `missing`, `unknown-bay`.
[[nodiscard]] Result<KeepReport> keep(Session& session, const KeepRequest& request);

/// How long versions stay. The newest version of every save stays in any case.
struct Retention {
  int days = 30;              ///< everything that is younger stays
  std::size_t versions = 32;  ///< and so many of each save
};

struct TidyReport {
  std::size_t versions = 0;  ///< that went, or would
  std::uint64_t before = 0;  ///< bytes of the database
  std::uint64_t after = 0;   ///< the same; as before when it was only a plan
};

[[nodiscard]] Result<TidyReport> tidy_history(Session& session, const Retention& retention,
                                              bool plan);

struct VerifyReport {
  std::size_t contents = 0;
  std::size_t pieces = 0;
  Findings damaged;  ///< which contents cannot be given back, and which saves they are of
};

/// Reads and hashes everything that history holds.
[[nodiscard]] Result<VerifyReport> verify_history(Session& session);

/// Writes every version of the saves that are asked for as plain files into a new folder. Gives
/// their paths. Errors: `name-taken` when the folder exists.
[[nodiscard]] Result<std::vector<Path>> export_history(Session& session, const std::string& save,
                                                       const Path& folder);

}  // namespace bayswap

#pragma GCC visibility pop
