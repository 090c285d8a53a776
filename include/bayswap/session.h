// What the commands of one run share.
#pragma once

#include "bayswap/bay.h"
#include "bayswap/catalog.h"
#include "bayswap/storage.h"

namespace bayswap {

/// The storage, the user's places, catalog and bays. The storage must outlive the session.
struct Session {
  Storage* storage = nullptr;
  Places places;
  Catalog catalog;
  BayList bays;

  /// Errors: `bad-bays`, `bad-catalog`, `unreadable`.
  [[nodiscard]] static Result<Session> open(Storage& storage, const Places& places);

  [[nodiscard]] Path bays_file() const { return places.config / "bays.toml"; }
  [[nodiscard]] Path catalog_file() const { return places.config / "catalog.toml"; }
  [[nodiscard]] Path history_file() const { return places.data / "history.db"; }
};

}  // namespace bayswap
