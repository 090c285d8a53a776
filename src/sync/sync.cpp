// How a sync begins: which bays, which hub, and whether there is anything to do.
#include "bayswap/sync.h"

#include <algorithm>

#include "files/atomic_write.h"
#include "files/clock.h"
#include "sync/joined_hub.h"
#include "sync/journal_exchange.h"
#include "sync/local_saves.h"
#include "sync/syncer.h"

namespace bayswap {
namespace {

Result<std::vector<const Bay*>> chosen_bays(Session& session, const SyncRequest& request) {
  std::vector<const Bay*> bays;
  for (const std::string& name : request.bays) {
    const auto bay = session.bays.find(name);
    if (!bay) return tl::unexpected(bay.error());
    if (std::ranges::find(bays, *bay) == bays.end()) bays.push_back(*bay);
  }
  if (request.bays.empty())
    for (const Bay& bay : session.bays.bays())
      if (!bay.port) bays.push_back(&bay);  // a cartridge is synced when it is named
  return bays;
}

// Whether nothing is new on the hub, and no file of the bays changed since nothing was left to do.
// Then how many saves are in step.
Result<std::optional<std::size_t>> all_is_quiet(Session& session, const SyncRequest& request,
                                                const StateFolder& folder,
                                                const std::vector<const Bay*>& bays) {
  const std::optional<std::size_t> no;
  if (request.take || request.bring || request.forget || !request.states) return no;
  const QuietState quiet = folder.load_quiet();
  if (is_listing_due(quiet.objects_seen_ns, now_ns())) return no;
  // A plan, or a look at the hub, fetches entries as well, and acts on none.
  const auto entries = folder.entries_stamp(quiet.hub);
  if (!entries) return tl::unexpected(entries.error());
  if (*entries != quiet.entries) return no;
  std::size_t saves = 0;
  for (const Bay* bay : bays) {
    const auto known = quiet.bays.find(bay->name);
    if (known == quiet.bays.end() || known->second.stamp != stamp_of_bay(session, *bay)) return no;
    saves += known->second.saves;
  }
  auto hub = open_hub(session, folder, quiet.where, quiet.hub);
  if (!hub) return tl::unexpected(hub.error());
  const auto known = folder.entry_names(quiet.hub);
  if (!known) return tl::unexpected(known.error());
  const auto ask = entries_to_ask(*hub, *known, quiet.device);
  if (!ask) return tl::unexpected(ask.error());
  if (!ask->listed.empty()) return no;
  for (const std::string& name : ask->next) {
    const auto entry = hub->packed_entry(name);
    if (!entry || *entry) return no;
  }
  return std::optional(saves);
}

// Between the places of one machine a hub of its own, which nobody else sees.
Result<StateFolder> machine_hub(Session& session) {
  StateFolder folder(*session.storage, session.places.data / "machine");
  auto state = folder.load();
  if (!state) return tl::unexpected(state.error());
  if (!state->where.empty()) return folder;
  const Path place = session.places.data / "machine" / "hub";
  if (auto made = make_private_folders(*session.storage, place); !made)
    return tl::unexpected(made.error());
  auto store = open_store(session, place.string());
  if (!store) return tl::unexpected(store.error());
  const auto hub = Hub::join(std::move(*store));
  if (!hub) return tl::unexpected(hub.error());
  state->where = place.string();
  state->hub = hub->id();
  state->device = new_device_id();
  state->name = "here";
  if (auto kept = folder.save(*state); !kept) return tl::unexpected(kept.error());
  return folder;
}

}  // namespace

Result<SyncReport> sync(Session& session, const SyncRequest& request) {
  const auto bays = chosen_bays(session, request);
  if (!bays) return tl::unexpected(bays.error());
  StateFolder folder = hub_state(session);
  const auto is_joined = folder.is_joined();
  if (!is_joined) return tl::unexpected(is_joined.error());
  if (!*is_joined) {
    if (request.bays.size() < 2)
      return fail(Trouble::usage, Code::usage, "no hub is joined, so name the bays that are synced",
                  {"name two bays or more, or join a hub with '", Remedy::join_hub, "'"});
    auto machine = machine_hub(session);
    if (!machine) return tl::unexpected(machine.error());
    folder = std::move(*machine);
  }
  if (bays->empty())
    return fail(Trouble::usage, Code::usage, "there are no bays yet",
                {"learn a place first: '", Remedy::learn_bay, "'"});
  if (!request.plan)
    if (auto recovered = recover(session); !recovered) return tl::unexpected(recovered.error());
  const auto quiet = all_is_quiet(session, request, folder, *bays);
  if (!quiet) return tl::unexpected(quiet.error());
  if (*quiet) {
    SyncReport report;
    report.in_step = **quiet;
    return report;
  }
  auto joined = JoinedHub::open(session, std::move(folder));
  if (!joined) return tl::unexpected(joined.error());
  return sync_bays(session, request, *joined, *bays);
}

}  // namespace bayswap
