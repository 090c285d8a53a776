#include "sync/journal_exchange.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestBundle = 16U << 20U;  // bytes, of what we write

std::set<std::string> names_in(const EntryRange& range) {
  std::set<std::string> names;
  for (std::uint64_t number = range.first; number <= range.last; ++number)
    names.insert(entry_name(range.device, number));
  return names;
}

bool are_known(const EntryRange& range, const std::set<std::string>& have) {
  return std::ranges::all_of(names_in(range),
                             [&](const std::string& name) { return have.contains(name); });
}

// The entries that a file of the hub holds, by their names; nothing when it is not there. Errors:
// `hub-damaged` as well.
Result<std::optional<std::map<std::string, Bytes>>> read_file(Hub& hub, const std::string& name) {
  std::map<std::string, Bytes> entries;
  const auto packed = hub.packed_entry(name);
  if (!packed && packed.error().trouble == Trouble::place) return tl::unexpected(packed.error());
  if (packed && !*packed) return std::optional<std::map<std::string, Bytes>>{};
  auto bytes = packed ? unpack_from_hub(**packed, kLargestEntry, name)
                      : Result<Bytes>(tl::unexpected(packed.error()));
  if (!bytes)
    return fail(Trouble::input, Code::hub_damaged,
                fmt::format("the hub's journal entry {} can't be unpacked", name),
                {"on the device that wrote it, run '", Remedy::check_hub, "'"});
  const auto range = parse_entry_name(name);
  if (range->first == range->last) {
    entries.emplace(name, std::move(*bytes));
    return std::optional(std::move(entries));
  }
  const auto lines = entries_in_bundle(*bytes, *range);
  if (!lines) return tl::unexpected(lines.error());
  for (std::size_t i = 0; i < lines->size(); ++i)
    entries.emplace(entry_name(range->device, range->first + i),
                    Bytes((*lines)[i].begin(), (*lines)[i].end()));
  return std::optional(std::move(entries));
}

// False when the file is not there.
Result<bool> fetch_file(Hub& hub, const StateFolder& folder, const LocalState& state,
                        const std::string& name, Findings& notes) {
  const auto entries = read_file(hub, name);
  const auto note = [&](const Error& error) {
    notes.push_back({Level::error, error.code, error.text, error.hint});
  };
  if (!entries && entries.error().trouble == Trouble::place) return tl::unexpected(entries.error());
  if (!entries) {
    note(entries.error());
    return true;
  }
  if (!*entries) return false;
  for (const auto& [entry, bytes] : **entries) {
    if (const auto sound = read_entry(bytes, entry); !sound) {
      note(sound.error());
      continue;
    }
    const auto packed = pack_for_hub(bytes);
    if (!packed) return tl::unexpected(packed.error());
    if (auto kept = folder.keep_entry(state.hub, entry, *packed); !kept)
      return tl::unexpected(kept.error());
  }
  return true;
}

// Puts one bundle there and takes its entries away. `listed`: those that lie there singly.
Result<void> write_bundle(Hub& hub, const StateFolder& folder, const LocalState& state,
                          const EntryRange& range, const std::vector<std::string>& listed) {
  Bytes bundle;
  for (const std::string& name : names_in(range)) {
    const auto packed = folder.entry(state.hub, name);
    if (!packed) return tl::unexpected(packed.error());
    const auto bytes = unpack_from_hub(*packed, kLargestEntry, name);
    if (!bytes) return tl::unexpected(bytes.error());
    bundle.insert(bundle.end(), bytes->begin(), bytes->end());
  }
  if (bundle.size() > kLargestBundle) return {};
  const auto packed = pack_for_hub(bundle);
  if (!packed) return tl::unexpected(packed.error());
  const std::string name = bundle_name(range);
  const auto is_there = [&]() -> Result<bool> {
    const auto there = hub.packed_entry(name);
    if (!there && there.error().trouble == Trouble::place) return tl::unexpected(there.error());
    return there && *there && **there == *packed;
  };
  auto there = is_there();
  if (there && !*there) {
    if (auto put = hub.put_entry_again(name, *packed); !put) return put;
    there = is_there();
  }
  if (!there) return tl::unexpected(there.error());
  if (!*there) return {};
  for (const std::string& entry : listed)
    if (auto removed = hub.remove_entry(entry); !removed) return removed;
  return {};
}

}  // namespace

Result<EntriesToAsk> entries_to_ask(Hub& hub, const std::vector<std::string>& known,
                                    const std::string& own) {
  auto there = hub.entries();
  if (!there) return tl::unexpected(there.error());
  const std::set<std::string> have(known.begin(), known.end());
  EntriesToAsk ask;
  std::map<std::string, std::uint64_t> last;
  const auto note_device = [&](const EntryRange& range) {
    if (range.device != own) last[range.device] = std::max(last[range.device], range.last);
  };
  // Bundles first: what one holds needs no asking of its own.
  std::ranges::stable_sort(*there, std::ranges::greater{}, &std::string::size);
  for (const std::string& name : *there) {
    const auto range = parse_entry_name(name);
    if (!range) continue;
    note_device(*range);
    if (!are_known(*range, have)) ask.listed.push_back(name);
  }
  for (const std::string& name : have)
    if (const auto range = parse_entry_name(name)) note_device(*range);
  for (const auto& [device, number] : last) ask.next.push_back(entry_name(device, number + 1));
  return ask;
}

// A listing may lag behind, so that the next number of each known device is asked for as well; that
// it is not there says nothing.
Result<void> fetch_entries(Hub& hub, const StateFolder& folder, const LocalState& state,
                           Findings& notes) {
  const auto known = folder.entry_names(state.hub);
  if (!known) return tl::unexpected(known.error());
  const auto ask = entries_to_ask(hub, *known, state.device);
  if (!ask) return tl::unexpected(ask.error());
  std::set<std::string> have(known->begin(), known->end());
  for (const std::string& name : ask->listed) {
    const auto range = parse_entry_name(name);
    if (are_known(*range, have)) continue;
    const std::size_t damaged = notes.size();
    if (auto fetched = fetch_file(hub, folder, state, name, notes); !fetched)
      return tl::unexpected(fetched.error());
    if (notes.size() == damaged) have.merge(names_in(*range));
  }
  for (const std::string& name : ask->next) {
    auto next = parse_entry_name(name);
    for (;; ++next->first) {
      const auto found =
          fetch_file(hub, folder, state, entry_name(next->device, next->first), notes);
      if (!found) return tl::unexpected(found.error());
      if (!*found) break;
    }
  }
  return {};
}

Result<std::map<std::string, Bytes>> entries_there(Hub& hub, const std::string& device) {
  const auto names = hub.entries();
  if (!names) return tl::unexpected(names.error());
  std::map<std::string, Bytes> all;
  for (const std::string& name : *names) {
    const auto range = parse_entry_name(name);
    if (!range || range->device != device) continue;
    auto entries = read_file(hub, name);
    if (!entries && entries.error().trouble == Trouble::place)
      return tl::unexpected(entries.error());
    if (entries && *entries) all.merge(**entries);
  }
  return all;
}

Result<void> bundle_entries(Hub& hub, const StateFolder& folder, const LocalState& state) {
  const auto names = hub.entries();
  if (!names) return tl::unexpected(names.error());
  std::map<std::uint64_t, std::vector<std::string>> single;  // by the bundle's last number
  for (const std::string& name : *names) {
    const auto range = parse_entry_name(name);
    if (!range || range->device != state.device || range->first != range->last) continue;
    const std::uint64_t last = bundle_with(state.device, range->first).last;
    if (last <= state.entries) single[last].push_back(name);
  }
  for (const auto& [last, listed] : single)
    if (auto written = write_bundle(hub, folder, state, bundle_with(state.device, last), listed);
        !written)
      return written;
  return {};
}

}  // namespace bayswap
