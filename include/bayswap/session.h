// What the commands of one run share.
//
// Library bayswap_places. A session and what belongs to it are used by one thread at a time;
// several sessions may be used by several threads.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>

#include "bayswap/bay.h"
#include "bayswap/catalog.h"
#include "bayswap/finding.h"
#include "bayswap/login.h"
#include "bayswap/progress.h"
#include "bayswap/storage.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// What a session reads at most, in bytes.
struct Limits {
  /// Larger files are never read as saves.
  std::uint64_t largest_file = kSaveLimit;
  /// What the files of one archive may unpack to, all together.
  std::uint64_t archive_contents = 512ULL << 20U;
};

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
  Limits limits = {};
  Progress* progress = nullptr;  ///< told how far an operation is; null: nobody is
  /// Told when a cartridge reader has not answered for so many seconds; may be empty.
  std::function<void(double seconds)> reader_silent = {};

  /// Asked for a name and a password when a hub's share wants them and neither the environment nor
  /// ~/.netrc says them; may be empty. They are never written anywhere.
  std::function<std::optional<ShareLogin>(const std::string& where)> ask_login = {};
  /// Asked for the words of a sealed hub that is joined; may be empty.
  std::function<std::optional<std::string>()> ask_words = {};

  /// Errors: `bad-bays`, `bad-catalog`, `unreadable`.
  [[nodiscard]] static Result<Session> open(Storage& storage, const Places& places,
                                            const Limits& limits = {});

  /// For operations: tells `progress`. Errors: `cancelled`.
  [[nodiscard]] Result<void> proceed(Work work, std::uint64_t done, std::uint64_t all) const;
  /// The same for the bytes of a copy, `all` of them in all (0: not known). The session must
  /// outlive it.
  [[nodiscard]] CopyProgress copy_progress(std::uint64_t all = 0) const;

  [[nodiscard]] Path bays_file() const { return places.config / "bays.toml"; }
  [[nodiscard]] Path catalog_file() const { return places.config / "catalog.toml"; }
  [[nodiscard]] Path history_file() const { return places.data / "history.db"; }
};

}  // namespace bayswap

#pragma GCC visibility pop
