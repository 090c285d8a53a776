#include "sync/taken_version.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"

namespace bayswap {
namespace {

struct From {
  std::string device;
  std::string bay;
  std::string version;
};

From parse_from(const std::string& text) {
  From from;
  const auto at = text.rfind('@');
  if (at != std::string::npos) from.version = text.substr(at + 1);
  const std::string place = text.substr(0, at);
  const auto colon = place.find(':');
  from.device = place.substr(0, colon);
  if (colon != std::string::npos) from.bay = place.substr(colon + 1);
  return from;
}

bool fits(const JoinedHub& joined, const SaveVersion& version, const From& from) {
  const bool device = from.device.empty() || from.device == version.device ||
                      lower_ascii(from.device) == lower_ascii(joined.name_of(version.device));
  const bool bay = from.bay.empty() || from.bay == version.bay;
  return device && bay && version.id.starts_with(from.version);
}

std::string shown(const JoinedHub& joined, const SaveVersion& version) {
  constexpr std::size_t kShort = 8;
  const std::string id = version.id.substr(0, kShort) + version.id.substr(version.id.find('-'));
  return fmt::format("{}:{}@{}", joined.name_of(version.device), version.bay,
                     version.id.size() > id.size() ? version.id : id);
}

Result<const SyncedSave*> find_save(const JoinedHub& joined, const std::string& game) {
  std::vector<const SyncedSave*> found;
  std::vector<std::string> names;
  for (const SyncedSave& save : joined.graph().saves()) {
    const SaveIdentity& identity = joined.graph().versions()[save.heads.front()].identity;
    if (!is_named(identity, game)) continue;
    found.push_back(&save);
    names.push_back(safe_text(title_of(identity)));
  }
  // Of several, the one with a conflict is meant.
  if (std::ranges::count_if(found, [](const SyncedSave* save) { return save->heads.size() > 1; }) ==
      1)
    std::erase_if(found, [](const SyncedSave* save) { return save->heads.size() == 1; });
  if (found.size() == 1) return found.front();
  if (found.empty())
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("there is no save called '{}' on the hub", safe_text(game)),
                {"see what it has: '", Remedy::show_hub, "'"});
  return fail(Trouble::stopped, Code::many_match,
              fmt::format("several saves fit '{}': {}", safe_text(game), list_text(names)),
              "name it by its code, or by its whole title");
}

}  // namespace

std::string title_of(const SaveIdentity& identity) {
  if (!identity.label.empty()) return identity.label;
  return identity.game.title.empty() ? identity.stem : identity.game.title;
}

bool is_named(const SaveIdentity& identity, const std::string& text) {
  // `Copper Tide (japan)` means one region's.
  std::string name_wanted = text;
  const auto open = text.rfind(" (");
  if (open != std::string::npos && text.ends_with(')')) {
    const auto region = parse_region(lower_ascii(text.substr(open + 2, text.size() - open - 3)));
    if (region && *region != identity.game.region) return false;
    if (region) name_wanted.resize(open);
  }
  const std::string wanted = plain_title(name_wanted);
  if (wanted.empty()) return false;
  for (const std::string& name : {identity.game.title, identity.stem, identity.label,
                                  identity.game.code, identity.game.serial, identity.game.title_id})
    if (!name.empty() && plain_title(name) == wanted) return true;
  return false;
}

Result<TakenVersion> find_taken(const JoinedHub& joined, const std::string& game,
                                const std::string& from_text) {
  const auto save = find_save(joined, game);
  if (!save) return tl::unexpected(save.error());
  const From from = parse_from(from_text);
  const VersionGraph& graph = joined.graph();
  std::vector<const SaveVersion*> found;
  std::vector<std::string> newest;
  // Without a version the newest ones count.
  for (const std::size_t place : from.version.empty() ? (*save)->heads : (*save)->versions)
    if (fits(joined, graph.versions()[place], from)) found.push_back(&graph.versions()[place]);
  for (const std::size_t place : (*save)->heads)
    newest.push_back(safe_text(shown(joined, graph.versions()[place])));
  if (found.size() == 1) return TakenVersion{*save, found.front()};
  return fail(Trouble::stopped, found.empty() ? Code::no_match : Code::many_match,
              found.empty() ? fmt::format("none of its versions is from '{}'", safe_text(from_text))
                            : std::string("several versions fit"),
              fmt::format("its newest versions are {}", list_text(newest)));
}

}  // namespace bayswap
