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
constexpr std::uint64_t kLargestIdFile = 4096;  // bytes
constexpr std::size_t kHubIdDigits = 32;

// `objects/ab/cdef…`: a folder for each first byte of the names.
std::string object_path(const std::string& name) {
  return fmt::format("{}/{}/{}", kObjects, name.substr(0, 2), name.substr(2));
}

std::string folder_of(const std::string& path) {
  return path.substr(0, path.rfind('/'));
}

struct IdFile {
  std::string id;
  std::string proof;  // of the seal; empty: the hub is not sealed
};

// Errors: `hub-differs` when the file is of something else.
Result<IdFile> read_id_file(ByteView bytes, const std::string& where) {
  const auto* text = reinterpret_cast<const char*>(bytes.data());
  const json object = json::parse(text, text + bytes.size(), nullptr, false);
  const auto text_at = [&](const char* key) {
    const bool there = object.is_object() && object.contains(key) && object[key].is_string();
    return there ? object[key].get<std::string>() : std::string();
  };
  if (text_at("bayswap") != "hub")
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: {} is not a hub's", safe_text(where), kIdFile),
                "name an empty folder, or the hub of your other devices");
  if (!object.contains("version") || object["version"] != 1)
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub is of a later version", safe_text(where)),
                "update Bay Swap on this device");
  // It becomes a part of file names here.
  IdFile file{text_at("id"), text_at("sealed")};
  if (file.id.size() != kHubIdDigits || !bytes_of_hex(file.id))
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub's id is damaged", safe_text(where)),
                "name the hub of your other devices, or an empty folder");
  return file;
}

std::string random_id(std::size_t digits) {
  std::random_device device;
  std::string id;
  while (id.size() < digits) id += fmt::format("{:08x}", device());
  id.resize(digits);
  return id;
}

// A new hub in an empty place. Another device may be faster: the id file that lies there counts.
Result<void> make_hub(HubStore& store, bool seal, const SealKeeper& keeper) {
  const auto names = store.list("");
  if (!names) return tl::unexpected(names.error());
  if (std::ranges::any_of(*names, [](const std::string& name) { return name[0] != '.'; }))
    return fail(
        Trouble::place, Code::hub_differs,
        fmt::format("{}: other files lie there, and it is not a hub yet", safe_text(store.where())),
        "name an empty folder for a new hub, or the hub of your other devices");
  const std::string id = random_id(kHubIdDigits);
  json made{{"bayswap", "hub"}, {"version", 1}, {"id", id}};
  if (seal) {
    const SealSecret secret = random_secret();
    if (auto kept = keeper.keep(id, secret); !kept) return kept;
    made["sealed"] = Seal(secret).proof(id);
  }
  if (auto put = store.put_new(kIdFile, as_bytes(made.dump() + "\n")); !put)
    return tl::unexpected(put.error());
  for (const char* folder : {kJournal, kObjects})
    if (auto made_folder = store.make_folder(folder); !made_folder) return made_folder;
  return {};
}

}  // namespace

std::string new_device_id() {
  return random_id(16);
}

Result<Hub> Hub::join(std::unique_ptr<HubStore> store, bool seal, const SealKeeper& keeper) {
  Hub hub(std::move(store));
  const std::string where = hub.store_->where();
  auto there = hub.store_->get(kIdFile, kLargestIdFile);
  if (!there) return tl::unexpected(there.error());
  if (!*there) {
    if (auto made = make_hub(*hub.store_, seal, keeper); !made) return tl::unexpected(made.error());
    hub.is_new_ = true;
    there = hub.store_->get(kIdFile, kLargestIdFile);
    if (!there) return tl::unexpected(there.error());
  }
  auto file = read_id_file(there->value_or(Bytes{}), where);
  if (!file) return tl::unexpected(file.error());
  hub.id_ = std::move(file->id);
  if (seal && file->proof.empty())
    return fail(Trouble::usage, Code::usage,
                fmt::format("{}: is a hub already, and not a sealed one", safe_text(where)),
                "name an empty folder: a hub is sealed when it is made, or not at all");
  if (file->proof.empty()) return hub;
  const auto secret = keeper.find(hub.id_);
  if (!secret) return tl::unexpected(secret.error());
  hub.seal_.emplace(*secret);
  if (hub.seal_->proof(hub.id_) != file->proof)
    return fail(Trouble::usage, Code::usage,
                fmt::format("{}: the words are of another sealed hub", safe_text(where)),
                "type the words that were shown when this hub was made");
  if (auto kept = keeper.keep(hub.id_, *secret); !kept) return tl::unexpected(kept.error());
  return hub;
}

Result<Hub> Hub::open(std::unique_ptr<HubStore> store, const std::string& id,
                      const std::optional<SealSecret>& secret) {
  Hub hub(std::move(store));
  const std::string where = hub.store_->where();
  const auto there = hub.store_->get(kIdFile, kLargestIdFile);
  if (!there) return tl::unexpected(there.error());
  if (!*there)
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub is not there; nothing was written", safe_text(where)),
                "mount the share or plug the stick in; an empty folder is not taken for it");
  const auto found = read_id_file(**there, where);
  if (!found) return tl::unexpected(found.error());
  if (found->id != id)
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: is another hub than the one that was joined; nothing was written",
                            safe_text(where)),
                "is it another stick or share? To change hubs, leave the old one first");
  hub.id_ = id;
  if (secret) hub.seal_.emplace(*secret);
  if (!secret && !found->proof.empty())
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub is sealed, and its key is not on this device; nothing was "
                            "written",
                            safe_text(where)),
                "leave it, and join it again with its words");
  if (secret && found->proof != hub.seal_->proof(id))
    return fail(Trouble::place, Code::hub_differs,
                fmt::format("{}: the hub's seal is not the one that it had; nothing was written",
                            safe_text(where)),
                "somebody changed the hub: ask who keeps it, or leave it and make a new one");
  return hub;
}

std::string Hub::path_of(const Digest& object) const {
  const std::string_view raw(reinterpret_cast<const char*>(object.data()), object.size());
  return object_path(seal_ ? seal_->name_of(raw) : hex_text(object));
}

std::string Hub::path_of(const std::string& entry) const {
  return fmt::format("{}/{}", kJournal, seal_ ? seal_->name_of(entry) : entry);
}

std::optional<Digest> Hub::digest_in(const std::string& name) const {
  Digest digest{};
  const auto fill = [&](ByteView bytes) -> std::optional<Digest> {
    if (bytes.size() != digest.size()) return std::nullopt;
    std::ranges::copy(bytes, digest.begin());
    return digest;
  };
  if (!seal_) return fill(bytes_of_hex(name).value_or(Bytes{}));
  return fill(as_bytes(seal_->plain_of(name).value_or("")));
}

Result<std::optional<Bytes>> Hub::get(const std::string& path, const std::string& plain,
                                      std::uint64_t limit) {
  auto stored = store_->get(path, limit + (seal_ ? Seal::kMostAdded : 0));
  if (!stored || !*stored || !seal_) return stored;
  auto opened = seal_->opened(**stored, plain);
  if (!opened)
    return fail(Trouble::input, Code::hub_damaged,
                fmt::format("the seal of {} on the hub is broken", plain),
                "a byte of it was changed, or somebody put another file there");
  return opened;
}

Bytes Hub::as_stored(Bytes packed, const std::string& plain) const {
  return seal_ ? seal_->sealed(packed, plain) : std::move(packed);
}

Result<void> Hub::put_object(const Digest& digest, ByteView content) {
  if (seen_.contains(digest)) return {};
  auto packed = pack_for_hub(content);
  if (!packed) return tl::unexpected(packed.error());
  const std::string path = path_of(digest);
  if (folders_.insert(folder_of(path)).second)
    if (auto made = store_->make_folder(folder_of(path)); !made) return made;
  const Bytes stored = as_stored(std::move(*packed), hex_text(digest));
  if (auto put = store_->put(path, stored); !put) return put;
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
  const std::string name = hex_text(digest);
  // Packed bytes can be a little longer than what they hold.
  const auto packed = get(path_of(digest), name, limit + limit / 8 + 1024);
  if (!packed && packed.error().trouble == Trouble::place) return tl::unexpected(packed.error());
  const auto damaged = [&](std::string_view why) {
    return fail(Trouble::input, Code::hub_damaged, fmt::format("the hub's object {} {}", name, why),
                "a device that still has this save uploads it again when it syncs");
  };
  if (packed && !*packed) return damaged("is missing");
  if (!packed && packed.error().code == Code::hub_damaged) return damaged("has a broken seal");
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
    for (const std::string& name : *names) {
      if (const auto digest = digest_in(folder + name)) found.insert(*digest);
    }
  }
  return found;
}

Result<void> Hub::remove_object(const Digest& digest) {
  seen_.erase(digest);
  return store_->remove(path_of(digest));
}

Result<std::vector<std::string>> Hub::entries() {
  auto names = store_->list(kJournal);
  if (!names) return names;
  std::erase_if(*names, [](const std::string& name) { return name.empty() || name[0] == '.'; });
  if (!seal_) return names;
  std::vector<std::string> plain;
  for (const std::string& name : *names)
    if (auto opened = seal_->plain_of(name)) plain.push_back(std::move(*opened));
  return plain;
}

Result<std::optional<Bytes>> Hub::packed_entry(const std::string& name) {
  return get(path_of(name), name, kLargestEntry);
}

Result<void> Hub::remove_entry(const std::string& name) {
  return store_->remove(path_of(name));
}

Result<void> Hub::put_entry_again(const std::string& name, ByteView packed) {
  const std::string path = path_of(name);
  if (auto removed = store_->remove(path); !removed) return removed;
  const Bytes stored = as_stored({packed.begin(), packed.end()}, name);
  if (const auto put = store_->put_new(path, stored); !put) return tl::unexpected(put.error());
  return store_->flush();
}

Result<bool> Hub::put_entry(const JournalEntry& entry, ByteView bytes) {
  const auto packed = pack_for_hub(bytes);
  if (!packed) return tl::unexpected(packed.error());
  // The objects are on the medium before anything refers to them.
  if (auto flushed = store_->flush(); !flushed) return tl::unexpected(flushed.error());
  // In a bundle, where a device that came back from a backup doesn't see it.
  const auto bundle = packed_entry(bundle_name(bundle_with(entry.device, entry.number)));
  if (!bundle && bundle.error().trouble == Trouble::place) return tl::unexpected(bundle.error());
  if (!bundle || *bundle) return false;
  const std::string name = entry_name(entry.device, entry.number);
  auto put = store_->put_new(path_of(name), as_stored(*packed, name));
  if (!put) return put;
  if (!*put) {
    // Ours already, when the answer to an earlier try was lost.
    const auto there = packed_entry(name);
    if (!there && there.error().code == Code::hub_damaged) return false;
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
