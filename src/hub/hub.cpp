#include "hub/hub.h"

#include <fmt/core.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/bytes/text.h"
#include "core/packing/packing.h"

namespace bayswap {
namespace {

using nlohmann::json;

constexpr const char* kIdFile = "bayswap-hub.json";
constexpr const char* kJournal = "journal";
constexpr const char* kObjects = "objects";
constexpr std::uint64_t kLargestIdFile = 4096;       // bytes
constexpr std::uint64_t kLargestEntry = 64U << 20U;  // bytes, packed or not
constexpr std::size_t kIdDigits = 32;

std::string object_folder(const Digest& digest) {
  return fmt::format("{}/{}", kObjects, hex_text(digest).substr(0, 2));
}

std::string object_name(const Digest& digest) {
  return fmt::format("{}/{}", object_folder(digest), hex_text(digest).substr(2));
}

// The id in the file; nothing when the file is of something else.
Result<std::string> read_id(ByteView bytes, const std::string& where) {
  const auto* text = reinterpret_cast<const char*>(bytes.data());
  const json object = json::parse(text, text + bytes.size(), nullptr, false);
  const auto fits = [&](const char* key, const json& value) {
    return object.is_object() && object.contains(key) && object[key] == value;
  };
  if (!fits("bayswap", "hub") || !object.contains("id") || !object["id"].is_string())
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: {} is no hub's", safe_text(where), kIdFile),
                "name an empty folder, or the hub of your other devices");
  if (!fits("version", 1))
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub is of a later version", safe_text(where)),
                "update Bay Swap on this device");
  // It becomes a part of file names here.
  std::string id = object["id"].get<std::string>();
  if (id.size() != kIdDigits || !bytes_of_hex(id))
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub's id makes no sense", safe_text(where)),
                "name the hub of your other devices, or an empty folder");
  return id;
}

}  // namespace

std::string random_id(std::size_t digits) {
  std::random_device device;
  std::string id;
  while (id.size() < digits) id += fmt::format("{:08x}", device());
  id.resize(digits);
  return id;
}

Result<Hub> Hub::join(std::unique_ptr<HubStore> store) {
  Hub hub(std::move(store));
  const std::string where = hub.store_->where();
  auto there = hub.store_->get(kIdFile, kLargestIdFile);
  if (!there) return tl::unexpected(there.error());
  if (!*there) {
    const auto names = hub.store_->list("");
    if (!names) return tl::unexpected(names.error());
    if (std::ranges::any_of(*names, [](const std::string& name) { return name[0] != '.'; }))
      return fail(Trouble::place, Code::hub_differs,
                  fmt::format("{}: other files lie there, and it is no hub yet", safe_text(where)),
                  "name an empty folder for a new hub, or the hub of your other devices");
    const json made{{"bayswap", "hub"}, {"version", 1}, {"id", random_id(kIdDigits)}};
    if (auto put = hub.store_->put_new(kIdFile, as_bytes(made.dump() + "\n")); !put)
      return tl::unexpected(put.error());
    for (const char* folder : {kJournal, kObjects})
      if (auto folders = hub.store_->make_folder(folder); !folders)
        return tl::unexpected(folders.error());
    // Another device may have been faster.
    there = hub.store_->get(kIdFile, kLargestIdFile);
    if (!there) return tl::unexpected(there.error());
  }
  auto id = read_id(there->value_or(Bytes{}), where);
  if (!id) return tl::unexpected(id.error());
  hub.id_ = std::move(*id);
  return hub;
}

Result<Hub> Hub::open(std::unique_ptr<HubStore> store, const std::string& id) {
  Hub hub(std::move(store));
  const std::string where = hub.store_->where();
  const auto there = hub.store_->get(kIdFile, kLargestIdFile);
  if (!there) return tl::unexpected(there.error());
  if (!*there)
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub is not there; nothing was written", safe_text(where)),
                "mount the share or plug the stick in; an empty folder is not taken for it");
  const auto found = read_id(**there, where);
  if (!found) return tl::unexpected(found.error());
  if (*found != id)
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: is another hub than the one that was joined; nothing was written",
                            safe_text(where)),
                "is it another stick or share? To change hubs, leave the old one first");
  hub.id_ = id;
  return hub;
}

Result<void> Hub::put_object(const Digest& digest, ByteView content) {
  if (seen_.contains(digest)) return {};
  auto packed = pack_for_hub(content);
  if (!packed) return tl::unexpected(packed.error());
  const std::string folder = object_folder(digest);
  if (folders_.insert(folder).second)
    if (auto made = store_->make_folder(folder); !made) return made;
  if (auto put = store_->put(object_name(digest), *packed); !put) return put;
  seen_.insert(digest);
  return {};
}

Result<void> Hub::put_again(const Digest& digest, ByteView content) {
  const auto there = object(digest, std::max(content.size(), kObjectSize));
  if (there) return {};
  if (there.error().trouble == Trouble::place) return tl::unexpected(there.error());
  if (auto removed = remove_object(digest); !removed) return removed;
  return put_object(digest, content);
}

Result<Bytes> Hub::object(const Digest& digest, std::uint64_t limit) {
  const std::string name = object_name(digest);
  // Packed bytes can be a little longer than what they hold.
  const auto packed = store_->get(name, limit + limit / 8 + 1024);
  if (!packed && packed.error().code != Code::too_large) return tl::unexpected(packed.error());
  const auto damaged = [&](std::string_view why) {
    return fail(Trouble::input, Code::hub_damaged, fmt::format("the hub's object {} {}", name, why),
                "a device that still has this save uploads it again when it syncs");
  };
  if (packed && !*packed) return damaged("is missing");
  auto content = packed ? unpack_from_hub(**packed, limit, name) : damaged("is too large");
  if (!content || sha256(*content) != digest) return damaged("does not hold what its name says");
  seen_.insert(digest);
  return content;
}

Result<std::set<Digest>> Hub::objects() {
  std::set<Digest> found;
  auto folders = store_->list(kObjects);
  if (!folders) return tl::unexpected(folders.error());
  for (const std::string& folder : *folders) {
    if (folder.size() != 2) continue;
    const auto names = store_->list(fmt::format("{}/{}", kObjects, folder));
    if (!names) return tl::unexpected(names.error());
    for (const std::string& name : *names)
      if (const auto bytes = bytes_of_hex(folder + name); bytes && bytes->size() == 32) {
        Digest digest{};
        std::ranges::copy(*bytes, digest.begin());
        found.insert(digest);
      }
  }
  return found;
}

Result<void> Hub::remove_object(const Digest& digest) {
  seen_.erase(digest);
  return store_->remove(object_name(digest));
}

Result<std::vector<std::string>> Hub::entries() {
  auto names = store_->list(kJournal);
  if (!names) return names;
  std::erase_if(*names, [](const std::string& name) { return name.empty() || name[0] == '.'; });
  return names;
}

Result<std::optional<Bytes>> Hub::packed_entry(const std::string& name) {
  return store_->get(fmt::format("{}/{}", kJournal, name), kLargestEntry);
}

Result<void> Hub::put_entry_again(const std::string& name, ByteView packed) {
  const std::string path = fmt::format("{}/{}", kJournal, name);
  if (auto removed = store_->remove(path); !removed) return removed;
  if (const auto put = store_->put_new(path, packed); !put) return tl::unexpected(put.error());
  return store_->flush();
}

Result<bool> Hub::put_entry(const JournalEntry& entry, ByteView bytes) {
  const auto packed = pack_for_hub(bytes);
  if (!packed) return tl::unexpected(packed.error());
  // The objects are on the medium before anything refers to them.
  if (auto flushed = store_->flush(); !flushed) return tl::unexpected(flushed.error());
  const std::string name = fmt::format("{}/{}", kJournal, entry_name(entry.device, entry.number));
  auto put = store_->put_new(name, *packed);
  if (!put) return put;
  if (!*put) {
    // Ours already, when the answer to an earlier try was lost.
    const auto there = store_->get(name, kLargestEntry);
    if (!there) return tl::unexpected(there.error());
    if (!*there || !std::ranges::equal(**there, *packed)) return false;
  }
  if (auto flushed = store_->flush(); !flushed) return tl::unexpected(flushed.error());
  return true;
}

Result<Bytes> pack_for_hub(ByteView content) {
  return pack(content, Packing::zstd, "", std::nullopt);
}

Result<Bytes> unpack_from_hub(ByteView packed, std::uint64_t limit, const std::string& name) {
  auto unpacked = unpack(packed, Packing::zstd, limit, AtLimit::fail, name);
  if (!unpacked) return tl::unexpected(unpacked.error());
  return std::move(unpacked->bytes);
}

DeviceJournal chained(std::vector<JournalEntry> entries) {
  DeviceJournal journal;
  std::ranges::sort(entries, {}, &JournalEntry::number);
  for (JournalEntry& entry : entries) {
    const bool first = journal.entries.empty();
    const std::uint64_t number = first ? 1 : journal.entries.back().number + 1;
    const std::string follows = first ? "" : journal.entries.back().hash;
    if (entry.number != number) break;  // the one between may come with a later listing
    if (entry.follows != follows) {
      journal.damaged =
          Error{Trouble::input, Code::hub_damaged,
                fmt::format("the hub's journal entry {} does not follow from the one before",
                            entry_name(entry.device, entry.number)),
                "its later versions are left out; what was there before stays"};
      break;
    }
    journal.entries.push_back(std::move(entry));
  }
  return journal;
}

}  // namespace bayswap
