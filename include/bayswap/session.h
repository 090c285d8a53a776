// What the commands of one run share.
#pragma once

#include <memory>

#include "bayswap/bay.h"
#include "bayswap/catalog.h"
#include "bayswap/finding.h"
#include "bayswap/storage.h"

namespace bayswap {

/// The storage, the user's places, catalog and bays. The storage must outlive the session. Files
/// inside zip, 7z, rar and tar archives can be read as `ARCHIVE:NAME`.
struct Session {
  Storage* storage = nullptr;
  std::shared_ptr<Storage> archives;  ///< what `storage` is when it reads inside archives too
  Places places;
  Catalog catalog;
  BayList bays;
  /// What a command found out besides what it was asked: moves that were cut off and can't be
  /// settled yet.
  Findings notes = {};

  /// Errors: `bad-bays`, `bad-catalog`, `unreadable`.
  [[nodiscard]] static Result<Session> open(Storage& storage, const Places& places);

  [[nodiscard]] Path bays_file() const { return places.config / "bays.toml"; }
  [[nodiscard]] Path catalog_file() const { return places.config / "catalog.toml"; }
  [[nodiscard]] Path history_file() const { return places.data / "history.db"; }
};

}  // namespace bayswap
