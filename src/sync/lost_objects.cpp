#include "sync/lost_objects.h"

#include "files/clock.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

// Listing them all takes many requests where the hub is not a folder: there it is done once a day.
Result<std::set<Digest>> lost_objects(JoinedHub& joined) {
  Hub& hub = joined.hub();
  if (!hub.store().is_near() && !is_listing_due(joined.state().objects_seen_ns, now_ns()))
    return std::set<Digest>{};
  const auto there = hub.objects();
  if (!there) return tl::unexpected(there.error());
  joined.state().objects_seen_ns = now_ns();
  std::set<Digest> lost;
  for (const SaveVersion& version : joined.graph().versions())
    if (!joined.let_go().contains(version.id))
      for (const Digest& object : objects_of(version))
        if (!there->contains(object)) lost.insert(object);
  return lost;
}

}  // namespace

Result<void> put_back_lost(JoinedHub& joined, const std::vector<BayView>& bays) {
  auto wanted = lost_objects(joined);
  if (!wanted) return tl::unexpected(wanted.error());
  wanted->insert(joined.wanted().begin(), joined.wanted().end());
  if (wanted->empty()) return {};
  for (const BayView& bay : bays)
    for (const LocalUnit& unit : bay.units)
      if (auto put = put_wanted(joined.hub(), unit.source.save, *wanted); !put) return put;
  return {};
}

}  // namespace bayswap
