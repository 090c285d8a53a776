// The saves of a bay as a sync sees them.
#pragma once

#include <string>
#include <vector>

#include "core/sync/decide.h"
#include "moves/carry_source.h"

namespace bayswap {

struct LocalUnit {
  std::string bay;
  std::string key;    ///< the same for the same save at each sync
  std::string stamp;  ///< of its files when they were read
  Source source;
  LocalSave save;
};

/// Every save of a bay. Errors: those of reading the place.
[[nodiscard]] Result<std::vector<LocalUnit>> saves_of_bay(Session& session, const Bay& bay,
                                                          bool states);

/// A game that a bay has, whether or not it has a save of it.
[[nodiscard]] SaveIdentity identity_of(const RomFile& rom, const Catalog& catalog);

/// Stands for the files of a save as they are now: other when one was written.
[[nodiscard]] std::string stamp_of(Session& session, const LocalUnit& unit);

/// Stands for a bay's shelves and files: other when one was added, changed or removed. Empty when a
/// file is so young that it might change without showing.
[[nodiscard]] std::string stamp_of_bay(Session& session, const Bay& bay);

}  // namespace bayswap
