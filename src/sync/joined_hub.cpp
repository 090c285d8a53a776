#include "sync/joined_hub.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "hub/folder_store.h"
#include "hub/webdav_store.h"
#include "sync/journal_exchange.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestJournals = 1U << 30U;  // bytes, of all devices

bool is_url(const std::string& where) {
  return where.find("://") != std::string::npos;
}

}  // namespace

Result<std::unique_ptr<HubStore>> open_store(Session& session, const std::string& where) {
  if (is_url(where)) return open_webdav_store(where, session.ask_login);
  const auto info = session.storage->info(where);
  const bool folder = session.storage->list(where).has_value();
  if (!info || !folder)
    return fail(Trouble::place, Code::hub_failed,
                fmt::format("{}: the hub's folder is not there", safe_text(where)),
                "mount the share or plug the stick in; a new hub's folder has to be made first");
  return open_folder_store(*session.storage, where);
}

Result<Hub> open_hub(Session& session, const StateFolder& folder, const std::string& where,
                     const std::string& id) {
  auto store = open_store(session, where);
  if (!store) return tl::unexpected(store.error());
  const auto secret = folder.secret(id);
  if (!secret) return tl::unexpected(secret.error());
  return Hub::open(std::move(*store), id, *secret);
}

StateFolder hub_state(Session& session) {
  return {*session.storage, session.places.data / "hub"};
}

Result<JoinedHub> JoinedHub::open(Session& session, StateFolder folder) {
  auto turn = folder.take_turn();
  if (!turn) return tl::unexpected(turn.error());
  auto state = folder.load();
  if (!state) return tl::unexpected(state.error());
  if (state->where.empty())
    return fail(Trouble::stopped, Code::no_match, "no hub is joined",
                {"join one with '", Remedy::join_hub, "'"});
  JoinedHub joined(std::move(folder), std::move(*state));
  joined.turn_ = std::move(*turn);
  auto hub = open_hub(session, joined.folder_, joined.state_.where, joined.state_.hub);
  if (!hub) return tl::unexpected(hub.error());
  joined.hub_ = std::make_unique<Hub>(std::move(*hub));
  if (auto fetched = fetch_entries(*joined.hub_, joined.folder_, joined.state_, joined.notes_);
      !fetched)
    return tl::unexpected(fetched.error());
  if (auto loaded = joined.load(); !loaded) return tl::unexpected(loaded.error());
  if (auto own = joined.check_own(); !own) return tl::unexpected(own.error());
  joined.build_graph();
  return joined;
}

Result<void> JoinedHub::load() {
  const auto names = folder_.entry_names(state_.hub);
  if (!names) return tl::unexpected(names.error());
  std::map<std::string, std::vector<JournalEntry>> found;
  std::uint64_t size = 0;
  for (const std::string& name : *names) {
    const auto packed = folder_.entry(state_.hub, name);
    if (!packed) return tl::unexpected(packed.error());
    const auto bytes = unpack_from_hub(*packed, kLargestEntry, name);
    if (!bytes) return tl::unexpected(bytes.error());
    size += bytes->size();
    if (size > kLargestJournals)
      return fail(Trouble::input, Code::too_much,
                  fmt::format("the hub's journals hold more than {}", size_text(kLargestJournals)),
                  "is it a hub of yours? Leave it, and make a new one");
    auto entry = read_entry(*bytes, name);
    if (!entry) return tl::unexpected(entry.error());
    found[entry->device].push_back(std::move(*entry));
  }
  for (auto& [device, entries] : found) {
    DeviceJournal journal = chained(std::move(entries));
    if (journal.damaged)
      notes_.push_back(
          {Level::error, journal.damaged->code, journal.damaged->text, journal.damaged->hint});
    journals_[device] = std::move(journal.entries);
  }
  return {};
}

// What stands in this device's journal has to be what it wrote: a home that was copied or brought
// back from a backup would else write over another's numbers.
Result<void> JoinedHub::check_own() {
  const auto own = journals_.find(state_.device);
  const std::size_t there = own == journals_.end() ? 0 : own->second.size();
  if (there == state_.entries && (there == 0 || own->second.back().hash == state_.last_hash))
    return {};
  // One more: the answer was lost, or the run was cut off, after it was written.
  if (there == state_.entries + 1 && own->second.back().hash == state_.pending_hash) {
    state_.entries = there;
    state_.last_hash = state_.pending_hash;
    return {};
  }
  // Fewer: a listing that lags behind can't be, since they are kept here; then the hub lost some.
  become_new_device();
  return {};
}

void JoinedHub::become_new_device() {
  state_.device = new_device_id();
  state_.entries = 0;
  state_.last_hash.clear();
  state_.pending_hash.clear();
  notes_.push_back({Level::warn, Code::assumed,
                    "this device's journal on the hub is not the one that it wrote: its settings "
                    "were copied, or "
                    "brought back from a backup; it goes on as a new device",
                    "nothing is lost; the old device's name stays in the hub's list"});
}

void JoinedHub::build_graph() {
  std::vector<SaveVersion> versions;
  let_go_.clear();
  wanted_.clear();
  for (const auto& [device, entries] : journals_)
    for (const JournalEntry& entry : entries) {
      versions.insert(versions.end(), entry.versions.begin(), entry.versions.end());
      let_go_.insert(entry.let_go.begin(), entry.let_go.end());
      wanted_.insert(entry.wanted.begin(), entry.wanted.end());
    }
  // The content of a version that was let go may be gone.
  for (const SaveVersion& version : versions)
    if (!let_go_.contains(version.id))
      for (const Digest& object : objects_of(version)) hub_->note_seen(object);
  graph_ = VersionGraph(std::move(versions));
}

std::string JoinedHub::name_of(const std::string& device) const {
  const auto journal = journals_.find(device);
  if (device == state_.device) return state_.name;
  // Others chose it: it must not reach a terminal as it is.
  const bool known = journal != journals_.end() && !journal->second.empty();
  return safe_text(known ? journal->second.back().device_name : device);
}

Result<std::vector<std::string>> JoinedHub::publish(const News& news, std::int64_t now_ns) {
  for (int tries = 0; tries < 2; ++tries) {
    JournalEntry entry;
    entry.device = state_.device;
    entry.device_name = state_.name;
    entry.number = state_.entries + 1;
    entry.follows = state_.last_hash;
    entry.time_ns = now_ns;
    entry.versions = news.versions;
    entry.let_go = news.let_go;
    entry.wanted = news.wanted;
    const Bytes bytes = entry_bytes(entry);
    state_.pending_hash = entry.hash;
    if (auto kept = folder_.save(state_); !kept) return tl::unexpected(kept.error());
    const auto put = hub_->put_entry(entry, bytes);
    if (!put) return tl::unexpected(put.error());
    if (!*put) {
      become_new_device();
      continue;
    }
    const auto packed = pack_for_hub(bytes);
    if (!packed) return tl::unexpected(packed.error());
    const std::string name = entry_name(entry.device, entry.number);
    if (auto kept = folder_.keep_entry(state_.hub, name, *packed); !kept)
      return tl::unexpected(kept.error());
    state_.entries = entry.number;
    state_.last_hash = entry.hash;
    state_.pending_hash.clear();
    if (auto kept = folder_.save(state_); !kept) return tl::unexpected(kept.error());
    if (state_.entries % kEntriesInBundle == 0)
      if (auto bundled = bundle_entries(*hub_, folder_, state_); !bundled)
        return tl::unexpected(bundled.error());
    std::vector<std::string> ids;
    for (const SaveVersion& version : entry.versions) ids.push_back(version.id);
    journals_[entry.device].push_back(std::move(entry));
    build_graph();
    return ids;
  }
  return fail(Trouble::place, Code::hub_failed, "no new journal entries can be written to the hub",
              "look at it with another program: is it full, or read-only?");
}

Result<void> JoinedHub::ask_for(std::vector<Digest> objects, std::int64_t now_ns) {
  std::erase_if(objects, [&](const Digest& one) { return wanted_.contains(one); });
  if (objects.empty()) return {};
  if (const auto told = publish({{}, {}, std::move(objects)}, now_ns); !told)
    return tl::unexpected(told.error());
  return {};
}

Result<std::vector<std::string>> JoinedHub::make_known(std::vector<SaveVersion> versions, bool plan,
                                                       std::int64_t now_ns) {
  if (plan) return pretend(std::move(versions));
  return publish({std::move(versions), {}, {}}, now_ns);
}

std::vector<std::string> JoinedHub::pretend(std::vector<SaveVersion> versions) {
  std::vector<std::string> ids;
  std::vector<SaveVersion> all = graph_.versions();
  for (SaveVersion& version : versions) {
    version.id = fmt::format("planned-{}", all.size());
    version.device = state_.device;
    ids.push_back(version.id);
    all.push_back(std::move(version));
  }
  graph_ = VersionGraph(std::move(all));
  return ids;
}

}  // namespace bayswap
