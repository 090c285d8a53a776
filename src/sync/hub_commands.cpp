// Joining, showing, leaving, checking and tidying a hub.
#include <fmt/core.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <iterator>

#include "bayswap/sync.h"
#include "core/bytes/text.h"
#include "files/clock.h"
#include "sync/joined_hub.h"
#include "sync/journal_exchange.h"
#include "sync/syncer.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

constexpr std::size_t kLongestName = 64;  // bytes

std::string machine_name() {
  std::array<char, 256> name{};
  if (::gethostname(name.data(), name.size() - 1) != 0 || name[0] == '\0') return "device";
  const std::string whole = name.data();
  return whole.substr(0, std::min(whole.find('.'), kLongestName));
}

// The name, with a number when another device has it.
std::string free_name(const std::string& name, const std::vector<HubReport::Device>& devices) {
  std::string free = name;
  for (int number = 2; std::ranges::find(devices, free, &HubReport::Device::name) != devices.end();
       ++number)
    free = fmt::format("{}-{}", name, number);
  return free;
}

Result<void> rename_device(const StateFolder& folder, const std::string& name) {
  const auto turn = folder.take_turn();
  if (!turn) return tl::unexpected(turn.error());
  auto state = folder.load();
  if (!state) return tl::unexpected(state.error());
  state->name = name;
  return folder.save(*state);
}

bool is_device_name(const std::string& name) {
  return !name.empty() && name.size() <= kLongestName && safe_text(name) == name &&
         name.find_first_of(":@/") == std::string::npos;
}

// Bytes of each object that holds content.
std::map<Digest, std::uint64_t> content_sizes(const VersionGraph& graph) {
  std::map<Digest, std::uint64_t> sizes;
  for (const SaveVersion& version : graph.versions())
    for (const VersionPart& part : version.parts) {
      std::uint64_t left = part.size;
      for (const Digest& piece : part.pieces) {
        sizes[piece] = std::min<std::uint64_t>(left, kObjectSize);
        left -= sizes[piece];
      }
    }
  return sizes;
}

HubReport report_of(JoinedHub& joined, const LocalState& state) {
  HubReport report;
  report.where = state.where;
  report.id = state.hub;
  report.device = state.name;
  std::map<std::string, std::size_t> newest;
  for (const SyncedSave& save : joined.graph().saves()) {
    report.conflicts += save.heads.size() > 1 ? 1 : 0;
    for (const std::size_t head : save.heads) ++newest[joined.graph().versions()[head].device];
  }
  for (const auto& [device, entries] : joined.journals()) {
    if (entries.empty()) continue;
    report.devices.push_back({joined.name_of(device), device, device == state.device,
                              entries.back().time_ns, entries.size(), newest[device]});
  }
  report.saves = joined.graph().saves().size();
  report.versions = joined.graph().versions().size();
  report.waiting = joined.graph().waiting();
  for (const auto& [object, bytes] : content_sizes(joined.graph())) report.bytes += bytes;
  report.sealed = joined.hub().is_sealed();
  report.notes = joined.notes();
  return report;
}

// Entries as they lie on the hub, beside what was read of them once. This device's own are mended.
Result<void> check_entries(JoinedHub& joined, HubChecked& checked) {
  const LocalState& state = joined.state();
  for (const auto& [device, entries] : joined.journals()) {
    const auto there = entries_there(joined.hub(), device);
    if (!there) return tl::unexpected(there.error());
    for (const JournalEntry& entry : entries) {
      const std::string name = entry_name(device, entry.number);
      const auto known = joined.folder().entry(state.hub, name);
      if (!known) return tl::unexpected(known.error());
      ++checked.entries;
      const auto found = there->find(name);
      if (found != there->end() && sha256_hex(found->second) == entry.hash) continue;
      if (device != state.device) {
        checked.damaged.push_back({Level::error,
                                   Code::hub_damaged,
                                   fmt::format("the journal entry {} of {} is damaged or missing",
                                               name, safe_text(joined.name_of(device))),
                                   {"on that device, run '", Remedy::check_hub, "'"}});
        continue;
      }
      if (auto put = joined.hub().put_entry_again(name, *known); !put) return put;
      checked.mended.push_back(
          {Level::warn, Code::hub_damaged,
           fmt::format("the journal entry {} was damaged or missing, and was written again", name),
           ""});
    }
  }
  return {};
}

// The key that is kept here, else the words that somebody types.
SealKeeper keeper_in(const Session& session, const StateFolder& folder) {
  SealKeeper keeper;
  keeper.find = [&session, &folder](const std::string& hub) -> Result<SealSecret> {
    const auto kept = folder.secret(hub);
    if (!kept) return tl::unexpected(kept.error());
    if (*kept) return **kept;
    const auto words = session.ask_words ? session.ask_words() : std::nullopt;
    if (words) return secret_of(*words);
    return fail(Trouble::usage, Code::usage, "this hub is sealed: to join it, you need its words",
                {"they were shown on the device that made it: ", Remedy::say_words});
  };
  keeper.keep = [&folder](const std::string& hub, const SealSecret& secret) {
    return folder.keep_secret(hub, secret);
  };
  return keeper;
}

// What a hub no longer has to keep.
struct Leftovers {
  std::vector<std::string> versions;  // ids
  std::set<Digest> objects;           // that no other version needs
};

Leftovers leftovers_of(const JoinedHub& joined, std::size_t keep, int days, std::int64_t now) {
  constexpr std::int64_t kDay = 86'400'000'000'000;  // ns
  const VersionGraph& graph = joined.graph();
  Leftovers old;
  std::set<Digest> needed;
  for (const SyncedSave& save : graph.saves()) {
    // Counted from the newest: tips always stay.
    std::size_t stays = save.tips.size();
    for (auto place = save.versions.rbegin(); place != save.versions.rend(); ++place) {
      const SaveVersion& version = graph.versions()[*place];
      const bool tip = std::ranges::find(save.tips, *place) != save.tips.end();
      const bool gone = joined.let_go().contains(version.id);
      const bool goes = !tip && stays >= keep && now - version.time_ns > days * kDay;
      if (!goes && !gone && !tip) ++stays;
      if (goes && !gone) old.versions.push_back(version.id);
      for (const Digest& object : objects_of(version))
        (goes || gone ? old.objects : needed).insert(object);
    }
  }
  std::erase_if(old.objects, [&](const Digest& object) { return needed.contains(object); });
  return old;
}

}  // namespace

Result<HubReport> join_hub(Session& session, const std::string& where,
                           const std::optional<std::string>& device, bool seal) {
  const StateFolder folder = hub_state(session);
  auto turn = folder.take_turn();
  if (!turn) return tl::unexpected(turn.error());
  auto state = folder.load();
  if (!state) return tl::unexpected(state.error());
  if (!state->where.empty())
    return fail(Trouble::usage, Code::usage,
                fmt::format("the hub at {} is joined already", safe_text(state->where)),
                "leave it first; what lies there and here stays");
  const std::string name = device.value_or(machine_name());
  if (!is_device_name(name))
    return fail(Trouble::usage, Code::bad_name,
                fmt::format("'{}' can't be a device's name", safe_text(name)),
                "use a short name without : @ and /");
  std::string place = where;
  if (where.find("://") == std::string::npos) {
    std::error_code failed;
    const Path full = std::filesystem::absolute(where, failed);
    if (!failed) place = full.lexically_normal().string();
  }
  auto store = open_store(session, place);
  if (!store) return tl::unexpected(store.error());
  const auto hub = Hub::join(std::move(*store), seal, keeper_in(session, folder));
  if (!hub) return tl::unexpected(hub.error());
  state->where = place;
  state->hub = hub->id();
  state->device = new_device_id();
  state->name = name;
  if (auto kept = folder.save(*state); !kept) return tl::unexpected(kept.error());
  turn->reset();  // show_hub() takes it
  auto report = show_hub(session);
  if (report && !device) {
    // Machines are often called alike; conflicts are told by the names of devices.
    report->device = free_name(name, report->devices);
    if (report->device != name)
      if (auto kept = rename_device(folder, report->device); !kept)
        return tl::unexpected(kept.error());
  }
  if (!report || !hub->is_sealed() || !hub->is_new()) return report;
  const auto secret = folder.secret(hub->id());
  if (!secret) return tl::unexpected(secret.error());
  if (*secret) report->words = words_of(**secret);
  return report;
}

Result<HubReport> show_hub(Session& session) {
  auto joined = JoinedHub::open(session, hub_state(session));
  if (!joined) return tl::unexpected(joined.error());
  HubReport report = report_of(*joined, joined->state());
  std::vector<const Bay*> bays;
  for (const Bay& bay : session.bays.bays())
    if (!bay.port) bays.push_back(&bay);
  SyncRequest plan;
  plan.plan = true;
  auto planned = sync_bays(session, plan, *joined, bays);
  if (!planned) return tl::unexpected(planned.error());
  // A bay that can't be reached may hold more that is not there.
  if (const auto& failed = planned->failed)
    report.notes.push_back({Level::warn, failed->code, failed->text, failed->hint});
  report.unmatched = std::move(planned->unmatched);
  report.unsent = std::move(planned->published);
  std::ranges::copy_if(planned->held, std::back_inserter(report.unsent),
                       [](const SyncItem& item) { return item.version.empty(); });
  return report;
}

Result<std::string> leave_hub(Session& session) {
  const StateFolder folder = hub_state(session);
  const auto turn = folder.take_turn();
  if (!turn) return tl::unexpected(turn.error());
  const auto state = folder.load();
  if (!state) return tl::unexpected(state.error());
  if (state->where.empty())
    return fail(Trouble::stopped, Code::no_match, "no hub is joined",
                {"join one with '", Remedy::join_hub, "'"});
  if (auto kept = folder.save_quiet({}); !kept) return tl::unexpected(kept.error());
  if (auto kept = folder.save({}); !kept) return tl::unexpected(kept.error());
  return state->where;
}

Result<HubChecked> check_hub(Session& session) {
  auto joined = JoinedHub::open(session, hub_state(session));
  if (!joined) return tl::unexpected(joined.error());
  HubChecked checked;
  checked.damaged = joined->notes();
  if (auto read = check_entries(*joined, checked); !read) return tl::unexpected(read.error());
  std::map<Digest, std::string> wanted;  // and which game's
  for (const SaveVersion& version : joined->graph().versions())
    if (!joined->let_go().contains(version.id))
      for (const Digest& object : objects_of(version))
        wanted.emplace(object, version.identity.game.title);
  std::vector<Digest> wanted_again;
  for (const auto& [object, title] : wanted) {
    if (auto go_on = session.proceed(Work::saves, checked.objects, wanted.size()); !go_on)
      return tl::unexpected(go_on.error());
    ++checked.objects;
    const auto bytes = joined->hub().object(object, 1U << 20U);
    if (bytes) continue;
    if (bytes.error().trouble == Trouble::place) return tl::unexpected(bytes.error());
    wanted_again.push_back(object);
    checked.damaged.push_back({Level::error, bytes.error().code,
                               fmt::format("{} ({})", bytes.error().text, safe_text(title)),
                               bytes.error().hint});
  }
  if (auto asked = joined->ask_for(wanted_again, now_ns()); !asked)
    return tl::unexpected(asked.error());
  return checked;
}

Result<HubTidied> tidy_hub(Session& session, std::size_t keep, int days, bool plan) {
  auto joined = JoinedHub::open(session, hub_state(session));
  if (!joined) return tl::unexpected(joined.error());
  const std::int64_t now = now_ns();
  Leftovers old = leftovers_of(*joined, keep, days, now);
  const auto there = joined->hub().objects();
  if (!there) return tl::unexpected(there.error());
  std::erase_if(old.objects, [&](const Digest& object) { return !there->contains(object); });
  HubTidied tidied{old.versions.size(), old.objects.size(), 0};
  for (const auto& [object, bytes] : content_sizes(joined->graph()))
    if (old.objects.contains(object)) tidied.bytes += bytes;
  if (plan) return tidied;
  // Everybody knows of it before anything goes: who still needs an object puts it there again.
  if (!old.versions.empty())
    if (const auto known = joined->publish({{}, old.versions, {}}, now); !known)
      return tl::unexpected(known.error());
  for (const Digest& object : old.objects)
    if (auto removed = joined->hub().remove_object(object); !removed)
      return tl::unexpected(removed.error());
  return tidied;
}

}  // namespace bayswap
