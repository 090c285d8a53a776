#include "core/sync/save_version.h"

#include <fmt/core.h>

#include <algorithm>
#include <numeric>

#include "core/bytes/cursor.h"
#include "core/bytes/text.h"

namespace bayswap {
namespace {

bool is_fill(std::byte byte) {
  return byte == std::byte{0} || byte == std::byte{0xFF};
}

// Without the erased bytes at its end: chips of two sizes may hold the same.
ByteView without_erased_end(ByteView bytes) {
  if (bytes.empty() || !is_fill(bytes.back())) return bytes;
  const std::byte fill = bytes.back();
  const auto last =
      std::find_if(bytes.rbegin(), bytes.rend(), [&](std::byte byte) { return byte != fill; });
  return bytes.first(static_cast<std::size_t>(bytes.rend() - last));
}

void add_text(Hasher& hasher, std::string_view text) {
  std::array<std::byte, 8> size{};
  store_le(size, std::uint64_t{text.size()});
  hasher.add(size);
  hasher.add(as_bytes(text));
}

bool is_clock_beside_chips(const Save& save, const Part& part) {
  return part.name == "clock" && save.parts.size() > 1;
}

// All n64 games made at home share a code.
bool is_shared_code(System system, const std::string& code) {
  return system == System::n64 && code.size() == 4 && code.substr(1, 2) == "ED";
}

}  // namespace

std::uint64_t SaveVersion::size() const {
  return std::accumulate(
      parts.begin(), parts.end(), std::uint64_t{0},
      [](std::uint64_t sum, const VersionPart& part) { return sum + part.size; });
}

Digest progress_of(const Save& save) {
  std::vector<const Part*> parts;
  for (const Part& part : save.parts)
    if (!is_clock_beside_chips(save, part)) parts.push_back(&part);
  std::ranges::sort(parts, {}, [](const Part* part) { return part->name; });
  const bool chips = save.kind == Kind::battery;
  // A chip that holds nothing is as good as none, where another holds something.
  if (chips && !save.blank()) std::erase_if(parts, [](const Part* part) { return part->blank; });
  Hasher hasher;
  for (const Part* part : parts) {
    const ByteView bytes = chips ? without_erased_end(part->data) : ByteView(part->data);
    add_text(hasher, part->name);
    std::array<std::byte, 8> size{};
    store_le(size, std::uint64_t{bytes.size()});
    hasher.add(size);
    hasher.add(bytes);
  }
  return hasher.finish();
}

std::uint64_t filled_bytes(const Save& save) {
  std::uint64_t filled = 0;
  for (const Part& part : save.parts)
    filled += static_cast<std::uint64_t>(
        std::ranges::count_if(part.data, [](std::byte byte) { return !is_fill(byte); }));
  return filled;
}

IdentityNames names_of(const SaveIdentity& identity) {
  const Game& game = identity.game;
  const std::string which =
      fmt::format("{}|{}|{}|{}|{}|", to_string(identity.system), to_string(identity.kind),
                  identity.role, identity.label, identity.slot);
  IdentityNames names;
  const auto add = [&](std::string_view kind, const std::string& id) {
    if (!id.empty()) names.strong.emplace(kind, fmt::format("{}{}|{}", which, kind, id));
  };
  add("title id", game.title_id);
  add("serial", game.serial);
  if (!is_shared_code(identity.system, game.code)) add("code", game.code);
  add("rom", identity.rom);
  const std::string title = plain_title(game.title.empty() ? identity.stem : game.title);
  if (!title.empty())
    names.weak = fmt::format("{}title|{}|{}", which, title, to_string(game.region));
  return names;
}

}  // namespace bayswap
