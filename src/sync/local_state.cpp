#include "sync/local_state.h"

#include <fmt/core.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "files/atomic_write.h"

namespace bayswap {
namespace {

using nlohmann::json;

constexpr std::uint64_t kLargest = 512U << 20U;  // bytes

json json_of(const LocalRecord& record) {
  json object{{"version", record.agreed.version}, {"progress", hex_text(record.agreed.progress)}};
  if (record.agreed.interrupted) object["interrupted"] = true;
  if (record.missing) object["missing"] = true;
  if (record.forgotten) object["forgotten"] = true;
  return object;
}

LocalRecord record_in(const json& object) {
  LocalRecord record;
  record.agreed.version = object.value("version", "");
  if (const auto bytes = bytes_of_hex(object.value("progress", ""));
      bytes && bytes->size() == record.agreed.progress.size())
    std::ranges::copy(*bytes, record.agreed.progress.begin());
  record.agreed.interrupted = object.value("interrupted", false);
  record.missing = object.value("missing", false);
  record.forgotten = object.value("forgotten", false);
  return record;
}

}  // namespace

bool is_listing_due(std::int64_t seen_ns, std::int64_t now_ns) {
  constexpr std::int64_t kDay = 86'400'000'000'000;  // ns
  return now_ns < seen_ns || now_ns - seen_ns > kDay;
}

Result<TurnLock> StateFolder::take_turn() const {
  if (auto made = make_private_folders(*storage_, folder_); !made)
    return tl::unexpected(made.error());
  return bayswap::take_turn(folder_ / "state.json");
}

Result<bool> StateFolder::is_joined() const {
  if (!load_quiet().where.empty()) return true;
  const auto state = load();
  if (!state) return tl::unexpected(state.error());
  return !state->where.empty();
}

Result<LocalState> StateFolder::load() const {
  LocalState state;
  const auto bytes = storage_->read(folder_ / "state.json", kLargest);
  if (!bytes && bytes.error().code == Code::missing) return state;
  if (!bytes) return tl::unexpected(bytes.error());
  const auto damaged = [&] {
    return fail(Trouble::input, Code::unreadable,
                fmt::format("{}: what was remembered of the hub can't be read",
                            safe_text((folder_ / "state.json").string())),
                "move that file away and join the hub again: saves that are the same are known "
                "again, and none is replaced");
  };
  const auto* text = reinterpret_cast<const char*>(bytes->data());
  const json object = json::parse(text, text + bytes->size(), nullptr, false);
  if (!object.is_object()) return damaged();
  try {
    state.where = object.value("where", "");
    state.hub = object.value("hub", "");
    state.device = object.value("device", "");
    state.name = object.value("name", "");
    state.entries = object.value("entries", std::uint64_t{0});
    state.last_hash = object.value("last", "");
    state.pending_hash = object.value("pending", "");
    state.objects_seen_ns = object.value("objects_seen", std::int64_t{0});
    const json saves = object.value("saves", json::object());
    for (const auto& [key, record] : saves.items()) state.saves.emplace(key, record_in(record));
  } catch (const json::exception&) {
    return damaged();
  }
  return state;
}

Result<void> StateFolder::save(const LocalState& state) const {
  json object{{"bayswap", "device on a hub"},
              {"where", state.where},
              {"hub", state.hub},
              {"device", state.device},
              {"name", state.name},
              {"entries", state.entries},
              {"last", state.last_hash},
              {"pending", state.pending_hash},
              {"objects_seen", state.objects_seen_ns},
              {"saves", json::object()}};
  for (const auto& [key, record] : state.saves) object["saves"][key] = json_of(record);
  const std::string text = object.dump(1, ' ', false, json::error_handler_t::replace) + "\n";
  return replace_own_file(*storage_, folder_ / "state.json", as_bytes(text));
}

QuietState StateFolder::load_quiet() const {
  QuietState state;
  const auto bytes = storage_->read(folder_ / "quiet.json", kLargest);
  if (!bytes) return state;
  const auto* text = reinterpret_cast<const char*>(bytes->data());
  const json object = json::parse(text, text + bytes->size(), nullptr, false);
  if (!object.is_object()) return state;
  try {
    state.where = object.value("where", "");
    state.hub = object.value("hub", "");
    state.device = object.value("device", "");
    state.objects_seen_ns = object.value("objects_seen", std::int64_t{0});
    state.entries = object.value("entries", "");
    const json bays = object.value("bays", json::object());
    for (const auto& [bay, quiet] : bays.items())
      state.bays[bay] = {quiet.value("stamp", ""), quiet.value("saves", std::size_t{0})};
  } catch (const json::exception&) {
    return {};
  }
  return state;
}

Result<void> StateFolder::save_quiet(const QuietState& state) const {
  json object{{"where", state.where},     {"hub", state.hub},
              {"device", state.device},   {"objects_seen", state.objects_seen_ns},
              {"entries", state.entries}, {"bays", json::object()}};
  for (const auto& [bay, quiet] : state.bays)
    object["bays"][bay] = {{"stamp", quiet.stamp}, {"saves", quiet.saves}};
  const std::string text = object.dump(1, ' ', false, json::error_handler_t::replace) + "\n";
  return replace_own_file(*storage_, folder_ / "quiet.json", as_bytes(text));
}

Result<std::vector<std::string>> StateFolder::entry_names(const std::string& hub) const {
  auto names = storage_->list(folder_ / ("journal-" + hub));
  if (!names && names.error().code == Code::missing) return std::vector<std::string>{};
  if (names) std::erase_if(*names, [](const std::string& name) { return name[0] == '.'; });
  return names;
}

Result<std::string> StateFolder::entries_stamp(const std::string& hub) const {
  auto names = entry_names(hub);
  if (!names) return tl::unexpected(names.error());
  std::ranges::sort(*names);
  return sha256_hex(as_bytes(joined(*names, "\n")));
}

Result<Bytes> StateFolder::entry(const std::string& hub, const std::string& name) const {
  return storage_->read(folder_ / ("journal-" + hub) / name, kLargest);
}

Result<std::optional<SealSecret>> StateFolder::secret(const std::string& hub) const {
  const Path path = folder_ / ("key-" + hub);
  constexpr std::uint64_t kLargestKey = 1024;  // bytes
  const auto text = storage_->read(path, kLargestKey);
  if (!text && text.error().code == Code::missing) return std::optional<SealSecret>{};
  if (!text) return tl::unexpected(text.error());
  SealSecret secret{};
  const std::string_view hex(reinterpret_cast<const char*>(text->data()), text->size());
  const auto bytes = bytes_of_hex(hex.substr(0, 2 * secret.size()));
  if (!bytes || bytes->size() != secret.size())
    return fail(Trouble::input, Code::unreadable,
                fmt::format("{}: the key of the hub can't be read", safe_text(path.string())),
                "remove that file, leave the hub, and join it again with its words");
  std::ranges::copy(*bytes, secret.begin());
  return secret;
}

Result<void> StateFolder::keep_secret(const std::string& hub, const SealSecret& secret) const {
  return replace_own_file(*storage_, folder_ / ("key-" + hub), as_bytes(hex_text(secret) + "\n"));
}

Result<void> StateFolder::keep_entry(const std::string& hub, const std::string& name,
                                     ByteView packed) const {
  return replace_own_file(*storage_, folder_ / ("journal-" + hub) / name, packed);
}

}  // namespace bayswap
