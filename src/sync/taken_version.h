// Which version a user means, and which saves a name means.
#pragma once

#include <string>

#include "sync/joined_hub.h"

namespace bayswap {

/// How people call the game of a save.
[[nodiscard]] std::string title_of(const SaveIdentity& identity);

/// Whether a text means a save: its title, label, code or ids, whatever the case.
[[nodiscard]] bool is_named(const SaveIdentity& identity, const std::string& text);

struct TakenVersion {
  const SyncedSave* save = nullptr;
  const SaveVersion* version = nullptr;
};

/// The version of a game that somebody takes. `from`: `DEVICE`, `DEVICE:BAY`, either with
/// `@VERSION` behind it, or `@VERSION`. Errors: `no-match`, `many-match` with those that fit.
[[nodiscard]] Result<TakenVersion> find_taken(const JoinedHub& joined, const std::string& game,
                                              const std::string& from);

}  // namespace bayswap
