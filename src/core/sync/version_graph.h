// All versions that are known, which of them are of one save, and what follows what.
#pragma once

#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/sync/save_version.h"

namespace bayswap {

/// The versions of one save, from all devices.
struct SyncedSave {
  std::vector<std::size_t> versions;  ///< places in VersionGraph::versions(), in the order given
  std::vector<std::size_t> tips;      ///< versions that nothing follows
  /// The tips that matter: of those that hold the same only one, and none that only repeats what
  /// another one follows, unless somebody chose it on purpose. More than one is a conflict.
  std::vector<std::size_t> heads;
};

class VersionGraph {
 public:
  /// Versions whose parents are not all known wait: they are left out, and counted. What is told of
  /// twice counts once. The order does not matter.
  explicit VersionGraph(std::vector<SaveVersion> versions);

  [[nodiscard]] const std::vector<SaveVersion>& versions() const { return versions_; }
  [[nodiscard]] const std::vector<SyncedSave>& saves() const { return saves_; }
  [[nodiscard]] std::size_t waiting() const { return waiting_; }

  /// Null when it is not known.
  [[nodiscard]] const SaveVersion* find(const std::string& id) const;
  /// The save of a version.
  [[nodiscard]] const SyncedSave* save_of(const std::string& id) const;
  /// The only save that has one of these names; null when none has, or several have.
  [[nodiscard]] const SyncedSave* save_named(const IdentityNames& names) const;
  /// Whether `older` comes before `newer` by parents; not when they are the same.
  [[nodiscard]] bool is_before(const std::string& older, const std::string& newer) const;

 private:
  class Union;
  void take_known(std::vector<SaveVersion> versions);
  void group();
  void join_by_title(const std::vector<IdentityNames>& names, Union& sets);
  void find_heads();
  [[nodiscard]] std::set<Digest> progress_before(std::size_t version) const;

  std::vector<SaveVersion> versions_;  // parents before children
  std::map<std::string, std::size_t> place_;
  std::vector<SyncedSave> saves_;
  std::vector<std::size_t> save_of_;  // by version
  std::map<std::string, std::set<std::size_t>> named_;
  std::size_t waiting_ = 0;
};

}  // namespace bayswap
