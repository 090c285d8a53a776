#include "sync/local_saves.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>

#include "bayswap/state.h"
#include "core/bytes/text.h"
#include "files/clock.h"
#include "places/bay_text.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestHashedRom = 64U << 20U;  // bytes
constexpr std::int64_t kYoung = 2'000'000'000;           // ns: clocks of file systems are coarse

bool has_own_id(const Game& game) {
  return !game.code.empty() || !game.serial.empty() || !game.title_id.empty();
}

std::string rom_hash(Storage& storage, const RomFile& rom) {
  const auto info = storage.info(rom.path);
  if (!info || info->size > kLargestHashedRom) return {};
  Hasher hasher;
  constexpr std::size_t kPiece = 0x10000;  // bytes
  const auto read = storage.stream(rom.path, kPiece, [&](ByteView piece) {
    hasher.add(piece);
    return true;
  });
  return read ? hex_text(hasher.finish()) : std::string();
}

// What speaks against the save, as far as it shows in it alone.
std::optional<Finding> problem_of(const Source& source) {
  for (const Finding& problem : source.problems)
    if (problem.level == Level::error && !(source.state && problem.code == Code::state_not_save))
      return problem;
  for (const Part& part : source.save.parts)
    if (part.outside != 0)
      return Finding{Level::error, Code::too_large,
                     fmt::format("{}: {} are too large to be kept in step", safe_text(part.name),
                                 size_text(part.outside)),
                     "carry it by itself"};
  return std::nullopt;
}

// Only the program that made a state can load it: those of others are things of their own.
std::string program_of(const Bytes& state, const std::string& file) {
  const auto read = read_state(state, file);
  if (!read) return "unreadable";
  const StateMaker& maker = read->maker;
  const bool named = !maker.chunks.empty() || (!maker.mark.empty() && !maker.mark_is_game);
  const std::string program = fmt::format("{}|{}|{}|{}|{}", to_string(maker.packing),
                                          maker.section_form, maker.mark_is_game ? "" : maker.mark,
                                          joined(maker.chunks, ","), named ? 0 : maker.size);
  constexpr std::size_t kDigits = 16;
  return sha256_hex(as_bytes(program)).substr(0, kDigits);
}

// The name that a game gives one of several saves, behind its own serial or code.
std::string name_by_game(const Save& save, const Path& folder) {
  std::string name = folder.filename().string();
  for (const std::string& id : {save.game.serial, save.game.code})
    if (!id.empty() && name.size() > id.size() && name.starts_with(id)) return name;
  return {};
}

SaveIdentity identity_of(Session& session, const Source& source) {
  SaveIdentity identity;
  identity.system = source.save.system;
  identity.kind = source.state ? Kind::state : source.save.kind;
  identity.stem = source.stem;
  identity.slot = source.slot;
  const bool chip = identity.kind == Kind::battery || identity.kind == Kind::state;
  if (identity.kind == Kind::card_save) identity.label = source.save.name;
  if (identity.kind == Kind::folder && !source.files.empty())
    identity.label = name_by_game(source.save, source.files.front());
  if (source.state && !source.save.parts.empty())
    identity.role = program_of(source.save.parts.front().data, source.files.front().string());
  identity.game = chip && source.rom ? game_of(*source.rom, session.catalog) : source.save.game;
  identity.game.account.clear();
  if (chip && source.rom && !has_own_id(identity.game))
    identity.rom = rom_hash(*session.storage, *source.rom);
  return identity;
}

std::string key_of(const Bay& bay, const LocalUnit& unit) {
  const Source& source = unit.source;
  std::string path;
  if (!source.part_files.empty())
    path = source.part_files.front();
  else if (!source.files.empty())
    path = source.files.front().string();
  const Path below = Path(path).lexically_relative(bay.place);
  return fmt::format("{}|{}|{}|{}", bay.name, below.empty() ? path : below.generic_string(),
                     unit.save.identity.label, unit.save.identity.slot);
}

// Units that nothing tells apart, in groups.
std::vector<std::vector<LocalUnit*>> twins_in(std::vector<LocalUnit>& units) {
  std::map<std::string, std::vector<LocalUnit*>> same;
  for (LocalUnit& unit : units) {
    const IdentityNames names = names_of(unit.save.identity);
    const std::string name = names.strong.empty() ? names.weak : names.strong.begin()->second;
    if (!name.empty()) same[name].push_back(&unit);
  }
  std::vector<std::vector<LocalUnit*>> twins;
  for (auto& [name, group] : same)
    if (group.size() > 1) twins.push_back(std::move(group));
  return twins;
}

// Several accounts of one device have saves of one game. So have a game and a changed one with its
// code, and two cards with the same save: each is a thing of its own, and never goes over the
// other.
void give_roles(std::vector<LocalUnit>& units) {
  for (const auto& twins : twins_in(units))
    for (LocalUnit* unit : twins) unit->save.identity.role += unit->source.save.game.account;
  for (const auto& twins : twins_in(units))
    for (LocalUnit* unit : twins) {
      const Source& source = unit->source;
      unit->save.identity.role +=
          source.files.empty() ? source.stem : source.files.front().stem().string();
    }
}

// Hashes what the system says of the files below a folder, without reading them.
class Stamper {
 public:
  /// `oldest_young`: files that changed later are so young that they may change unseen; 0: none is.
  Stamper(Storage& storage, std::int64_t oldest_young)
      : storage_(storage), oldest_young_(oldest_young) {}

  void add_text(const std::string& text) { hasher_.add(as_bytes(text)); }
  void add_file(const FileInfo& info) {
    std::string facts;
    add_facts(info, facts);
    add_text(facts);
  }
  /// False when a folder can't be listed, or a file is young.
  bool add(const Path& folder) {
    const auto entries = storage_.entries(folder);
    if (!entries) return false;
    std::string facts;
    for (const auto& [name, info] : *entries) {
      const bool file = info.type == FileType::file;
      if (!file && info.type != FileType::folder) continue;
      facts += name;
      facts += file ? '\n' : '/';
      if (!file) continue;
      if (oldest_young_ != 0 && std::max(info.modified_ns, info.changed_ns) > oldest_young_)
        return false;
      add_facts(info, facts);
    }
    add_text(facts);
    return std::ranges::all_of(*entries, [&](const NamedInfo& entry) {
      return entry.info.type != FileType::folder || add(folder / entry.name);
    });
  }
  [[nodiscard]] std::string finish() { return hex_text(hasher_.finish()); }

 private:
  static void add_facts(const FileInfo& info, std::string& facts) {
    for (const auto number : {static_cast<std::int64_t>(info.size), info.modified_ns,
                              info.changed_ns, static_cast<std::int64_t>(info.inode)})
      facts.append(reinterpret_cast<const char*>(&number), sizeof number);
  }

  Storage& storage_;
  std::int64_t oldest_young_;
  Hasher hasher_;
};

}  // namespace

SaveIdentity identity_of(const RomFile& rom, const Catalog& catalog) {
  SaveIdentity identity;
  identity.system = rom.info.system;
  identity.game = game_of(rom, catalog);
  identity.stem = rom.stem;
  return identity;
}

Result<std::vector<LocalUnit>> saves_of_bay(Session& session, const Bay& bay, bool states) {
  RomFolders folders(session);
  BayScan scan(session, folders, bay);
  CarryRequest request;
  request.to = bay.name;  // states are found where the bay keeps some
  auto sources = read_bay(session, folders, scan, request);
  if (!sources) return tl::unexpected(sources.error());
  std::vector<LocalUnit> units;
  for (Source& source : *sources) {
    if (source.state && !states) continue;
    LocalUnit unit;
    unit.bay = bay.name;
    unit.save.problem = problem_of(source);
    // What can't be read says nothing of a game.
    if (source.save.parts.empty() && !source.state && !unit.save.problem) continue;
    if (source.state && source.save.parts.empty() && !source.files.empty()) {
      auto bytes = session.storage->read(source.files.front(), session.limits.largest_file);
      if (!bytes) continue;
      source.save.parts.push_back({"state", std::move(*bytes), false});
    }
    unit.save.identity = identity_of(session, source);
    unit.save.progress = progress_of(source.save);
    unit.save.filled = filled_bytes(source.save);
    for (const Part& part : source.save.parts) unit.save.size += part.size();
    unit.save.blank = source.save.blank();
    unit.source = std::move(source);
    unit.key = key_of(bay, unit);
    unit.stamp = stamp_of(session, unit);
    units.push_back(std::move(unit));
  }
  give_roles(units);
  return units;
}

std::string stamp_of(Session& session, const LocalUnit& unit) {
  Stamper stamper(*session.storage, 0);
  for (const Path& path : unit.source.files) {
    const auto info = session.storage->info(path);
    if (info && info->type == FileType::folder)
      (void)stamper.add(path);
    else
      stamper.add_file(info.value_or(FileInfo{}));
  }
  return stamper.finish();
}

std::string stamp_of_bay(Session& session, const Bay& bay) {
  if (bay.port) return {};
  Stamper stamper(*session.storage, now_ns() - kYoung);
  stamper.add_text(bay_text(bay));
  return stamper.add(bay.place) ? stamper.finish() : std::string();
}

}  // namespace bayswap
