#include "bayswap/session.h"

#include "files/archive_storage.h"

namespace bayswap {

Result<Session> Session::open(Storage& storage, const Places& places, const Limits& limits) {
  Session session;
  session.limits = limits;
  session.archives =
      std::make_shared<ArchiveStorage>(storage, limits.largest_file, limits.archive_contents);
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

Result<void> Session::proceed(Work work, std::uint64_t done, std::uint64_t all) const {
  if (progress == nullptr || progress->report(work, done, all)) return {};
  return fail(Trouble::stopped, Code::cancelled, "stopped, as you asked",
              "what is reported as done is done; the rest was not begun");
}

CopyProgress Session::copy_progress(std::uint64_t all) const {
  return [this, all, done = std::uint64_t{0}](std::uint64_t more) mutable {
    done += more;
    return proceed(Work::bytes, done, all).has_value();
  };
}

}  // namespace bayswap
