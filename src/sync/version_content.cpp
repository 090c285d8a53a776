#include "sync/version_content.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestSave = 512ULL << 20U;  // bytes
constexpr std::uint64_t kLargestRecord = 1U << 20U;    // bytes of a card's record of a save

std::vector<ByteView> pieces_of(ByteView bytes) {
  std::vector<ByteView> pieces;
  for (std::size_t at = 0; at < bytes.size(); at += kObjectSize)
    pieces.push_back(bytes.subspan(at, std::min(kObjectSize, bytes.size() - at)));
  return pieces;
}

std::optional<Digest> digest_of(const Bytes& entry) {
  return entry.empty() ? std::nullopt : std::optional(sha256(entry));
}

// Every object that a save is made of.
std::vector<ByteView> objects_in(const Save& save) {
  std::vector<ByteView> objects;
  const auto add = [&](ByteView bytes) {
    if (!bytes.empty()) objects.push_back(bytes);
  };
  for (const Part& part : save.parts) {
    for (const ByteView piece : pieces_of(part.data)) add(piece);
    add(part.entry);
  }
  add(save.entry);
  return objects;
}

// A relative path that stays where it begins.
bool is_part_name(const std::string& name) {
  if (name.empty() || safe_text(name) != name || name.find('\\') != std::string::npos) return false;
  const Path path(name);
  return path.is_relative() && std::ranges::none_of(path, [](const Path& step) {
           return step == ".." || step == "." || step.empty();
         });
}

// What a hub says of a save is not believed: names become names of files.
bool is_sensible(const SaveVersion& version) {
  constexpr std::size_t kLongestSlot = 16;
  if (version.parts.empty() || version.identity.slot.size() > kLongestSlot) return false;
  std::uint64_t size = 0;
  for (const VersionPart& part : version.parts) {
    if (!is_part_name(part.name) || part.size > kLargestSave - size) return false;
    size += part.size;
  }
  const auto is_plain = [](const std::string& name) {
    return name.find('/') == std::string::npos && name != ".." && safe_text(name) == name;
  };
  const SaveIdentity& identity = version.identity;
  return std::ranges::all_of(
      std::array{&identity.stem, &identity.slot, &identity.label, &identity.role,
                 &identity.game.code, &identity.game.serial, &identity.game.title_id},
      [&](const std::string* name) { return is_plain(*name); });
}

}  // namespace

SaveVersion version_of(const LocalUnit& unit) {
  const Save& save = unit.source.save;
  SaveVersion version;
  version.bay = unit.bay;
  version.time_ns = unit.source.modified_ns;
  version.identity = unit.save.identity;
  if (!unit.source.layouts.empty()) version.layout = unit.source.layouts.front();
  for (const Part& part : save.parts) {
    VersionPart one{part.name, part.data.size(), part.blank, {}, digest_of(part.entry)};
    for (const ByteView piece : pieces_of(part.data)) one.pieces.push_back(sha256(piece));
    version.parts.push_back(std::move(one));
  }
  version.entry = digest_of(save.entry);
  version.comment = save.comment;
  version.progress = unit.save.progress;
  version.filled = unit.save.filled;
  return version;
}

Result<void> put_content(Hub& hub, const Save& save) {
  for (const ByteView object : objects_in(save))
    if (auto put = hub.put_object(sha256(object), object); !put) return put;
  return {};
}

Result<void> put_wanted(Hub& hub, const Save& save, const std::set<Digest>& wanted) {
  for (const ByteView object : objects_in(save)) {
    const Digest digest = sha256(object);
    if (!wanted.contains(digest)) continue;
    if (auto put = hub.put_again(digest, object); !put) return put;
  }
  return {};
}

Result<Save> content_of(Hub& hub, const SaveVersion& version) {
  const auto damaged = [&](std::string_view why) {
    return fail(Trouble::input, Code::hub_damaged,
                fmt::format("version {} on the hub {}", safe_text(version.id), why),
                "a device that still has it uploads it again when it syncs");
  };
  if (!is_sensible(version)) return damaged("makes no sense");
  Save save;
  save.system = version.identity.system;
  save.kind = version.identity.kind;
  save.game = version.identity.game;
  save.name = version.identity.label;
  save.comment = version.comment;
  for (const VersionPart& one : version.parts) {
    Part part;
    part.name = one.name;
    part.blank = one.blank;
    for (const Digest& piece : one.pieces) {
      auto bytes = hub.object(piece);
      if (!bytes) return tl::unexpected(bytes.error());
      part.data.insert(part.data.end(), bytes->begin(), bytes->end());
      if (part.data.size() > one.size) break;
    }
    if (part.data.size() != one.size) return damaged("has parts of other sizes than it says");
    if (one.entry) {
      auto entry = hub.object(*one.entry, kLargestRecord);
      if (!entry) return tl::unexpected(entry.error());
      part.entry = std::move(*entry);
    }
    save.parts.push_back(std::move(part));
  }
  if (version.entry) {
    auto entry = hub.object(*version.entry, kLargestRecord);
    if (!entry) return tl::unexpected(entry.error());
    save.entry = std::move(*entry);
  }
  if (progress_of(save) != version.progress) return damaged("does not hold what it says");
  return save;
}

std::vector<Digest> objects_of(const SaveVersion& version) {
  std::vector<Digest> objects;
  for (const VersionPart& part : version.parts) {
    objects.insert(objects.end(), part.pieces.begin(), part.pieces.end());
    if (part.entry) objects.push_back(*part.entry);
  }
  if (version.entry) objects.push_back(*version.entry);
  return objects;
}

}  // namespace bayswap
