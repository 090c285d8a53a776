#include "sync/bay_view.h"

#include <fmt/core.h>

#include <algorithm>

#include "core/bytes/text.h"
#include "moves/carry_sources.h"
#include "sync/version_content.h"

namespace bayswap {
namespace {

bool has_shelf(const Bay& bay, System system, Kind kind) {
  return std::ranges::any_of(bay.shelves, [&](const Shelf& shelf) {
    return shelf.kind == kind && shelf.system == system;
  });
}

// The game alone, as a ROM tells it.
IdentityNames game_names(SaveIdentity identity) {
  identity.kind = Kind::battery;
  identity.role.clear();
  identity.label.clear();
  identity.slot.clear();
  return names_of(identity);
}

}  // namespace

Result<BayView> BayView::read(Session& session, const Bay& bay, bool states) {
  if (auto there = check_bay_is_there(session, bay); !there) return tl::unexpected(there.error());
  BayView view;
  view.bay = &bay;
  view.stamp = stamp_of_bay(session, bay);
  auto units = saves_of_bay(session, bay, states);
  if (!units) return tl::unexpected(units.error());
  view.units = std::move(*units);
  for (std::size_t i = 0; i < view.units.size(); ++i) view.places.emplace(view.units[i].key, i);
  return view;
}

std::vector<const LocalUnit*> BayView::units_of(const SyncedSave& save) const {
  std::vector<const LocalUnit*> found;
  const auto [begin, end] = of_save.equal_range(&save);
  for (auto at = begin; at != end; ++at) found.push_back(&units[at->second]);
  return found;
}

const RomFile* BayView::rom_of(Session& session, const VersionGraph& graph,
                               const SyncedSave& save) {
  const SaveIdentity& identity = graph.versions()[save.heads.front()].identity;
  const bool state = identity.kind == Kind::state;
  if ((!state && identity.kind != Kind::battery) || (!state && !identity.role.empty()) ||
      !has_shelf(*bay, identity.system, identity.kind))
    return nullptr;
  // A state goes where its program has made others.
  if (state && std::ranges::none_of(units, [&](const LocalUnit& unit) {
        return unit.save.identity.kind == Kind::state && unit.save.identity.role == identity.role;
      }))
    return nullptr;
  if (!roms_) {
    roms_.emplace();
    RomFolders folders(session);
    BayScan scan(session, folders, *bay);
    for (const RomFile* rom : scan.roms_for(std::nullopt)) {
      const IdentityNames names = names_of(identity_of(*rom, session.catalog));
      for (const auto& [kind, name] : names.strong) roms_->named[name].insert(roms_->files.size());
      if (!names.weak.empty()) roms_->named[names.weak].insert(roms_->files.size());
      roms_->files.push_back(*rom);
    }
  }
  std::set<std::size_t> strong;
  std::set<std::size_t> weak;
  for (const std::size_t place : save.versions) {
    const IdentityNames names = game_names(graph.versions()[place].identity);
    for (const auto& [kind, name] : names.strong)
      if (const auto found = roms_->named.find(name); found != roms_->named.end())
        strong.insert(found->second.begin(), found->second.end());
    if (const auto found = roms_->named.find(names.weak); found != roms_->named.end())
      weak.insert(found->second.begin(), found->second.end());
  }
  const std::set<std::size_t>& fits = strong.empty() ? weak : strong;
  return fits.size() == 1 ? &roms_->files[*fits.begin()] : nullptr;
}

Result<Source> BayView::source_of(JoinedHub& joined, const SyncedSave& save,
                                  const SaveVersion& version, const RomFile* rom) const {
  auto content = content_of(joined.hub(), version);
  if (!content) return tl::unexpected(content.error());
  Source source;
  source.save = std::move(*content);
  source.modified_ns = version.time_ns;
  source.stem = version.identity.stem;
  if (find_layout(version.layout)) source.layouts = {version.layout};
  // What lies here says how the game is called here.
  for (const LocalUnit* unit : units_of(save)) {
    source.stem = unit->source.stem;
    source.rom = unit->source.rom;
    if (source.save.kind == Kind::folder) source.folder_there = unit->source.files.front();
  }
  if (rom != nullptr) {
    source.rom = *rom;
    source.stem = rom->stem;
  }
  source.part_files.assign(source.save.parts.size(),
                           fmt::format("{}:{}", joined.name_of(version.device), version.bay));
  if (version.identity.kind != Kind::state) return source;
  source.state = true;
  source.slot = version.identity.slot;
  return source;
}

}  // namespace bayswap
