#include "hub/journal.h"

#include <fmt/core.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

using nlohmann::json;

constexpr std::size_t kMostVersions = 100'000;
constexpr std::size_t kMostParts = 100'000;
constexpr std::size_t kLongestText = 4096;  // bytes
constexpr std::size_t kVersionIdDigits = 32;

// Keys that are empty are left out.
void set(json& object, const char* key, const std::string& text) {
  if (!text.empty()) object[key] = text;
}

json json_of(const SaveIdentity& identity) {
  json object{{"system", to_string(identity.system)}, {"kind", to_string(identity.kind)}};
  set(object, "title", identity.game.title);
  set(object, "code", identity.game.code);
  set(object, "serial", identity.game.serial);
  set(object, "title_id", identity.game.title_id);
  set(object, "maker", identity.game.maker);
  set(object, "region", std::string(to_string(identity.game.region)));
  set(object, "role", identity.role);
  set(object, "label", identity.label);
  set(object, "slot", identity.slot);
  set(object, "stem", identity.stem);
  set(object, "rom", identity.rom);
  return object;
}

json json_of(const VersionPart& part) {
  json object{{"name", part.name}, {"size", part.size}, {"pieces", json::array()}};
  for (const Digest& piece : part.pieces) object["pieces"].push_back(hex_text(piece));
  if (part.blank) object["blank"] = true;
  if (part.entry) object["entry"] = hex_text(*part.entry);
  return object;
}

json json_of(const SaveVersion& version) {
  json object{{"game", json_of(version.identity)}, {"progress", hex_text(version.progress)},
              {"filled", version.filled},          {"time_ns", version.time_ns},
              {"parents", version.parents},        {"parts", json::array()}};
  for (const VersionPart& part : version.parts) object["parts"].push_back(json_of(part));
  set(object, "bay", version.bay);
  set(object, "layout", version.layout);
  set(object, "comment", version.comment);
  if (version.entry) object["entry"] = hex_text(*version.entry);
  if (version.on_purpose) object["on_purpose"] = true;
  return object;
}

// Reads what it asks for, and remembers whether anything was not as it has to be.
class Reader {
 public:
  std::string text(const json& object, const char* key, bool must = false) {
    const auto found = object.find(key);
    if (found == object.end()) return sound(!must), std::string();
    if (!sound(found->is_string())) return {};
    std::string value = found->get<std::string>();
    return sound(value.size() <= kLongestText) ? value : std::string();
  }
  std::uint64_t number(const json& object, const char* key) {
    const auto found = object.find(key);
    return sound(found != object.end() && found->is_number_unsigned()) ? found->get<std::uint64_t>()
                                                                       : 0;
  }
  std::int64_t time(const json& object, const char* key) {
    const auto found = object.find(key);
    return sound(found != object.end() && found->is_number_integer()) ? found->get<std::int64_t>()
                                                                      : 0;
  }
  bool truth(const json& object, const char* key) {
    const auto found = object.find(key);
    return found != object.end() && sound(found->is_boolean()) && found->get<bool>();
  }
  const json& list(const json& object, const char* key, std::size_t most) {
    static const json kEmpty = json::array();
    const auto found = object.find(key);
    return sound(found != object.end() && found->is_array() && found->size() <= most) ? *found
                                                                                      : kEmpty;
  }
  std::vector<std::string> ids(const json& object, const char* key) {
    std::vector<std::string> ids;
    for (const json& one : list(object, key, kMostVersions))
      if (sound(one.is_string() && one.get_ref<const std::string&>().size() <= 64))
        ids.push_back(one.get<std::string>());
    return ids;
  }
  Digest digest(const json& value) {
    Digest digest{};
    if (!sound(value.is_string())) return digest;
    const auto bytes = bytes_of_hex(value.get_ref<const std::string&>());
    if (sound(bytes && bytes->size() == digest.size())) std::ranges::copy(*bytes, digest.begin());
    return digest;
  }
  std::optional<Digest> maybe_digest(const json& object, const char* key) {
    const auto found = object.find(key);
    return found == object.end() ? std::nullopt : std::optional(digest(*found));
  }
  bool sound(bool fine) {
    sound_ = sound_ && fine;
    return fine;
  }
  [[nodiscard]] bool is_sound() const { return sound_; }

 private:
  bool sound_ = true;
};

SaveIdentity identity_in(const json& object, Reader& read) {
  SaveIdentity identity;
  const auto system = parse_system(read.text(object, "system", true));
  const auto kind = parse_kind(read.text(object, "kind", true));
  if (!read.sound(system && kind && *kind != Kind::rom)) return identity;
  identity.system = *system;
  identity.kind = *kind;
  identity.game.title = read.text(object, "title");
  identity.game.code = read.text(object, "code");
  identity.game.serial = read.text(object, "serial");
  identity.game.title_id = read.text(object, "title_id");
  identity.game.maker = read.text(object, "maker");
  identity.game.region = parse_region(read.text(object, "region")).value_or(Region::unknown);
  identity.role = read.text(object, "role");
  identity.label = read.text(object, "label");
  identity.slot = read.text(object, "slot");
  identity.stem = read.text(object, "stem");
  identity.rom = read.text(object, "rom");
  return identity;
}

VersionPart part_in(const json& object, Reader& read) {
  VersionPart part;
  if (!read.sound(object.is_object())) return part;
  part.name = read.text(object, "name", true);
  part.size = read.number(object, "size");
  part.blank = read.truth(object, "blank");
  for (const json& piece : read.list(object, "pieces", kMostParts))
    part.pieces.push_back(read.digest(piece));
  part.entry = read.maybe_digest(object, "entry");
  return part;
}

SaveVersion version_in(const json& object, Reader& read) {
  SaveVersion version;
  if (!read.sound(object.is_object())) return version;
  const auto game = object.find("game");
  if (!read.sound(game != object.end() && game->is_object())) return version;
  version.identity = identity_in(*game, read);
  version.parents = read.ids(object, "parents");
  version.progress = read.maybe_digest(object, "progress").value_or(Digest{});
  version.filled = read.number(object, "filled");
  version.time_ns = read.time(object, "time_ns");
  for (const json& part : read.list(object, "parts", kMostParts))
    version.parts.push_back(part_in(part, read));
  version.bay = read.text(object, "bay");
  version.layout = read.text(object, "layout");
  version.comment = read.text(object, "comment");
  version.entry = read.maybe_digest(object, "entry");
  version.on_purpose = read.truth(object, "on_purpose");
  return version;
}

void name_versions(JournalEntry& entry, ByteView bytes) {
  entry.hash = sha256_hex(bytes);
  for (std::size_t i = 0; i < entry.versions.size(); ++i) {
    entry.versions[i].id = fmt::format("{}-{}", entry.hash.substr(0, kVersionIdDigits), i);
    entry.versions[i].device = entry.device;
  }
}

}  // namespace

std::string entry_name(const std::string& device, std::uint64_t number) {
  return fmt::format("{}-{:08}", device, number);
}

std::optional<EntryRange> parse_entry_name(const std::string& name) {
  constexpr std::size_t kMostDigits = 19;  // fit into 64 bits
  std::vector<std::string> pieces;
  std::istringstream parts(name);
  for (std::string piece; std::getline(parts, piece, '-');) pieces.push_back(piece);
  if (pieces.size() < 2 || pieces.size() > 3 || pieces[0].empty()) return std::nullopt;
  std::vector<std::uint64_t> numbers;
  for (std::size_t i = 1; i < pieces.size(); ++i) {
    const bool digits = !pieces[i].empty() && pieces[i].size() <= kMostDigits &&
                        pieces[i].find_first_not_of("0123456789") == std::string::npos;
    if (!digits) return std::nullopt;
    numbers.push_back(std::stoull(pieces[i]));
  }
  const EntryRange range{pieces[0], numbers.front(), numbers.back()};
  const bool is_bundle = numbers.size() == 2;
  if (name != (is_bundle ? bundle_name(range) : entry_name(range.device, range.first)))
    return std::nullopt;
  const bool sensible =
      !is_bundle || (range.first < range.last && range.last - range.first < kEntriesInBundle);
  return sensible ? std::optional(range) : std::nullopt;
}

EntryRange bundle_with(const std::string& device, std::uint64_t number) {
  const std::uint64_t before = (number - 1) / kEntriesInBundle * kEntriesInBundle;
  return {device, before + 1, before + kEntriesInBundle};
}

std::string bundle_name(const EntryRange& range) {
  return fmt::format("{}-{:08}-{:08}", range.device, range.first, range.last);
}

Result<std::vector<ByteView>> entries_in_bundle(ByteView bundle, const EntryRange& range) {
  std::vector<ByteView> entries;
  std::size_t begin = 0;
  for (std::size_t at = 0; at < bundle.size(); ++at)
    if (bundle[at] == std::byte{'\n'}) {
      entries.push_back(bundle.subspan(begin, at + 1 - begin));
      begin = at + 1;
    }
  if (begin != bundle.size() || entries.size() != range.last - range.first + 1)
    return fail(
        Trouble::input, Code::hub_damaged,
        fmt::format("the hub's journal file {} is not complete", safe_text(bundle_name(range))),
        {"on the device that wrote it, run '", Remedy::check_hub, "'"});
  return entries;
}

Bytes entry_bytes(JournalEntry& entry) {
  json object{{"bayswap", "journal entry"}, {"version", 1},
              {"device", entry.device},     {"name", entry.device_name},
              {"number", entry.number},     {"follows", entry.follows},
              {"time_ns", entry.time_ns},   {"versions", json::array()}};
  for (const SaveVersion& version : entry.versions) object["versions"].push_back(json_of(version));
  if (!entry.let_go.empty()) object["let_go"] = entry.let_go;
  for (const Digest& one : entry.wanted) object["wanted"].push_back(hex_text(one));
  const std::string text = object.dump(-1, ' ', false, json::error_handler_t::replace) + "\n";
  const ByteView view = as_bytes(text);
  name_versions(entry, view);
  return {view.begin(), view.end()};
}

Result<JournalEntry> read_entry(ByteView bytes, const std::string& name) {
  const auto damaged = [&](std::string_view why) {
    return fail(
        Trouble::input, Code::hub_damaged,
        fmt::format("the hub's journal entry {} {}", safe_text(name), why),
        {"until it is mended the versions after it wait; on the device that wrote it, run '",
         Remedy::check_hub, "'"});
  };
  const auto* text = reinterpret_cast<const char*>(bytes.data());
  const json object = json::parse(text, text + bytes.size(), nullptr, false);
  if (!object.is_object()) return damaged("can't be read");
  Reader read;
  if (read.text(object, "bayswap") != "journal entry") return damaged("is something else");
  if (read.number(object, "version") != 1)
    return damaged("is of a later version of Bay Swap: update it");
  JournalEntry entry;
  entry.device = read.text(object, "device", true);
  entry.device_name = read.text(object, "name", true);
  entry.number = read.number(object, "number");
  entry.follows = read.text(object, "follows", true);
  entry.time_ns = read.time(object, "time_ns");
  for (const json& one : read.list(object, "versions", kMostVersions))
    entry.versions.push_back(version_in(one, read));
  if (object.contains("let_go")) entry.let_go = read.ids(object, "let_go");
  if (object.contains("wanted"))
    for (const json& one : read.list(object, "wanted", kMostParts))
      entry.wanted.push_back(read.digest(one));
  if (!read.is_sound()) return damaged("makes no sense");
  if (entry_name(entry.device, entry.number) != name) return damaged("belongs elsewhere");
  name_versions(entry, bytes);
  return entry;
}

}  // namespace bayswap
