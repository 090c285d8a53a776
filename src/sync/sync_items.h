// What a report says of a save, a version or a conflict.
#pragma once

#include "bayswap/sync.h"
#include "sync/joined_hub.h"
#include "sync/local_saves.h"

namespace bayswap {

class SyncItems {
 public:
  /// The hub must outlive it.
  explicit SyncItems(const JoinedHub& joined) : joined_(joined) {}

  [[nodiscard]] SyncItem of(const LocalUnit& unit) const;
  [[nodiscard]] SyncItem of(const SaveVersion& version) const;
  [[nodiscard]] SyncItem conflict(const SyncedSave& save) const;

 private:
  [[nodiscard]] const SaveVersion& origin_of(const SaveVersion& version) const;

  const JoinedHub& joined_;
};

}  // namespace bayswap
