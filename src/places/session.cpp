#include "bayswap/session.h"

#include "files/archive_storage.h"

namespace bayswap {

Result<Session> Session::open(Storage& storage, const Places& places) {
  Session session;
  session.archives = std::make_shared<ArchiveStorage>(storage);
  session.storage = session.archives.get();
  session.places = places;
  auto catalog = Catalog::load(storage, session.catalog_file());
  if (!catalog) return tl::unexpected(catalog.error());
  session.catalog = std::move(*catalog);
  auto bays = BayList::load(storage, session.bays_file());
  if (!bays) return tl::unexpected(bays.error());
  session.bays = std::move(*bays);
  return session;
}

}  // namespace bayswap
