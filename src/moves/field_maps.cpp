#include "moves/field_maps.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <set>

#include "bayswap/layout.h"
#include "core/bytes/text.h"
#include "core/fields/value_text.h"
#include "moves/wanted_saves.h"
#include "places/understood.h"
#include "reading/save_address.h"

namespace bayswap {
namespace {

constexpr std::uint64_t kLargestMap = 1U << 20U;  // bytes

constexpr int kByTitle = 2;
constexpr int kByCode = 3;

bool has_marks(const fields::Fits& fits, ByteView bytes) {
  return std::ranges::all_of(fits.marks, [&](const fields::Fits::Mark& mark) {
    return mark.at <= bytes.size() && mark.bytes.size() <= bytes.size() - mark.at &&
           std::ranges::equal(mark.bytes, bytes.subspan(mark.at, mark.bytes.size()));
  });
}

bool is_unknown(const Game& game) {
  return game.title.empty() && game.code.empty() && game.serial.empty() && game.title_id.empty();
}

// How surely a map is for the game: 0 not at all, then by its content alone, by title, by code.
int how_sure(const fields::Fits& fits, const Game& game, const std::string& stem) {
  const auto is_one = [](const std::vector<std::string>& list, const std::string& text) {
    return !text.empty() && std::ranges::any_of(list, [&](const std::string& one) {
      return lower_ascii(one) == lower_ascii(text);
    });
  };
  if (is_one(fits.codes, game.code) || is_one(fits.codes, game.serial) ||
      is_one(fits.codes, game.title_id))
    return kByCode;
  const bool titled = std::ranges::any_of(fits.titles, [&](const std::string& title) {
    return plain_title(title) == plain_title(game.title) || plain_title(title) == plain_title(stem);
  });
  if (titled) return kByTitle;
  // Marks tell where nothing says which game it is: a file without its ROM beside it.
  const bool open = (fits.codes.empty() && fits.titles.empty()) || is_unknown(game);
  return open && !fits.marks.empty() ? 1 : 0;
}

// The map's part of a file: the file itself, or what a layout of the map's system finds in it.
std::optional<Bytes> part_in(const fields::FieldMap& map, ByteView file) {
  const fields::Fits& fits = map.fits;
  if (std::ranges::find(fits.sizes, file.size()) != fits.sizes.end() && has_marks(fits, file))
    return Bytes(file.begin(), file.end());
  for (const Guess& guess : identify(file, {})) {
    if (guess.layout->info().system != fits.system) continue;
    const auto content = guess.layout->read(file, {});
    if (!content) continue;
    for (const Save& save : content->saves)
      if (const Part* part = FieldMaps::part_for(map, save)) return part->data;
  }
  return std::nullopt;
}

}  // namespace

Result<FieldMapPtr> FieldMaps::read(const Path& path) {
  const auto bytes = session_.storage->read(path, kLargestMap);
  if (!bytes) return tl::unexpected(bytes.error());
  return fields::read_map({reinterpret_cast<const char*>(bytes->data()), bytes->size()},
                          path.string());
}

void FieldMaps::load() {
  if (std::exchange(loaded_, true)) return;
  const Path folder = session_.places.config / "maps";
  const auto names = session_.storage->list(folder);
  for (const std::string& name : names.value_or(std::vector<std::string>{})) {
    if (name.starts_with('.') || Path(name).extension() != ".toml") continue;
    if (auto map = read(folder / name))
      maps_.push_back(std::move(*map));
    else
      bad_.push_back(map.error());
  }
}

bool FieldMaps::has_any() {
  load();
  return !maps_.empty();
}

const Part* FieldMaps::part_for(const fields::FieldMap& map, const Save& save) {
  const fields::Fits& fits = map.fits;
  if (fits.system != save.system) return nullptr;
  const auto part = std::ranges::find_if(save.parts, [&](const Part& one) {
    return fits.part.empty() ? one.name != "clock" : one.name == fits.part;
  });
  if (part == save.parts.end()) return nullptr;
  const bool size =
      fits.sizes.empty() || std::ranges::find(fits.sizes, part->data.size()) != fits.sizes.end();
  return size && has_marks(fits, part->data) ? &*part : nullptr;
}

Result<FieldMapPtr> FieldMaps::find(const Save& save, const Game& game, const std::string& stem) {
  load();
  int best = 0;
  std::vector<FieldMapPtr> found;
  for (const FieldMapPtr& map : maps_) {
    const int sure = part_for(*map, save) == nullptr ? 0 : how_sure(map->fits, game, stem);
    if (sure == 0 || sure < best) continue;
    if (sure > best) found.clear();
    best = sure;
    found.push_back(map);
  }
  if (found.size() == 1) return found.front();
  if (found.size() > 1) {
    std::vector<std::string> names;
    for (const FieldMapPtr& map : found) names.push_back(safe_text(map->file));
    return fail(Trouble::stopped, Code::many_match,
                fmt::format("several field maps fit this save: {}", list_text(names)),
                {"choose one with ", Remedy::field_map});
  }
  if (!bad_.empty()) return tl::unexpected(bad_.front());
  return fail(Trouble::stopped, Code::no_match, "no field map fits this save",
              {fmt::format("put one into {}, or name it with ",
                           safe_text((session_.places.config / "maps").string())),
               Remedy::field_map});
}

std::optional<std::string> FieldMaps::layout_for(ByteView file) {
  load();
  std::set<std::string> fitting;
  for (const FieldMapPtr& map : maps_) {
    if (map->fits.marks.empty()) continue;
    for (const Guess& guess : identify(file, {})) {
      if (guess.layout->info().system != map->fits.system) continue;
      const auto content = guess.layout->read(file, {});
      if (!content || content->saves.empty()) continue;
      if (part_for(*map, content->saves.front()) == nullptr) continue;
      fitting.insert(guess.layout->info().id);
      break;  // the likeliest of the map's system
    }
  }
  return fitting.size() == 1 ? std::optional(*fitting.begin()) : std::nullopt;
}

std::optional<std::string> FieldMaps::change_in_words(const std::string& title, ByteView older,
                                                      ByteView newer) {
  load();
  Game game;
  game.title = title;
  for (const FieldMapPtr& map : maps_) {
    if (how_sure(map->fits, game, title) < kByTitle && map->fits.marks.empty()) continue;
    const auto before = part_in(*map, older);
    const auto after = before ? part_in(*map, newer) : std::nullopt;
    if (!after) continue;
    if (const auto changes = changes_between(map, *before, *after)) return words_of(*changes);
  }
  return std::nullopt;
}

std::optional<std::string> FieldMaps::change_in_words(const Game& game, const Save& older,
                                                      const Save& newer) {
  const auto map = find(older, game, game.title);
  if (!map) return std::nullopt;
  const Part* before = part_for(**map, older);
  const Part* after = part_for(**map, newer);
  if (before == nullptr || after == nullptr) return std::nullopt;
  const auto changes = changes_between(*map, before->data, after->data);
  return changes ? std::optional(words_of(*changes)) : std::nullopt;
}

std::string words_of(const std::vector<FieldChange>& changes) {
  constexpr std::size_t kMost = 3;
  std::vector<std::string> words;
  for (const FieldChange& change : changes) {
    if (words.size() == kMost) break;
    words.push_back(
        safe_text(fmt::format("{} {} to {}{}", change.label.empty() ? change.path : change.label,
                              change.before.empty() ? "nothing" : change.before,
                              change.after.empty() ? "nothing" : change.after,
                              change.unit.empty() ? std::string() : " " + change.unit)));
  }
  if (words.empty()) return "no field differs";
  if (changes.size() > kMost) words.push_back(fmt::format("{} more", changes.size() - kMost));
  return list_text(words);
}

namespace {

// False when it has no such part.
bool keep_part(Source& source, const std::string& name) {
  const Part* part = source.save.part(name);
  if (part == nullptr) return false;
  const auto place = static_cast<std::size_t>(part - source.save.parts.data());
  source.save.parts = {Part(*part)};
  if (place < source.part_files.size()) source.part_files = {std::string(source.part_files[place])};
  return true;
}

}  // namespace

Result<MappedSave> open_unmapped(Session& session, const FieldRequest& request) {
  const SaveAddress address = parse_address(session, request.save);
  const auto place =
      understand_place(session, address.bay.empty() ? address.path.string() : address.bay);
  if (!place) return tl::unexpected(place.error());
  const auto bay = session.bays.find(place->bay);
  if (!bay) return tl::unexpected(bay.error());
  CarryRequest wanted;
  wanted.saves = {request.save};
  wanted.to = place->bay;
  wanted.rom = request.rom;
  wanted.is = request.is;
  RomFolders folders(session);
  BayScan scan(session, folders, **bay);
  auto saves = find_wanted(session, folders, scan, wanted);
  if (!saves && address.bay.empty() && !address.inside.empty()) {
    // `FILE:PART` of a container: the others stay as they are.
    wanted.saves = {address.path.string()};
    auto whole = find_wanted(session, folders, scan, wanted);
    if (whole && whole->saves.size() == 1 && keep_part(whole->saves.front(), address.inside))
      saves = std::move(whole);
  }
  if (!saves) return tl::unexpected(saves.error());
  if (saves->saves.size() != 1)
    return fail(
        Trouble::stopped, saves->saves.empty() ? Code::no_match : Code::many_match,
        fmt::format("{}: holds {}", safe_text(request.save), counted(saves->saves.size(), "save")),
        "name the one you want, as FILE:NAME");
  MappedSave mapped;
  mapped.source = std::move(saves->saves.front());
  mapped.place = place->bay;
  const Source& source = mapped.source;
  if (source.save.parts.empty())
    for (const Finding& problem : source.problems)
      if (problem.level == Level::error)
        return fail(Trouble::input, problem.code, problem.text, problem.hint);
  mapped.game = source.save.game;
  if (source.rom) mapped.game = game_of(*source.rom, session.catalog);
  return mapped;
}

Result<MappedSave> open_mapped(Session& session, const FieldRequest& request) {
  auto opened = open_unmapped(session, request);
  FieldMaps maps(session);
  if (!request.is && (!opened || opened->source.layouts.empty() || !opened->source.rom)) {
    // Small saves look alike: a map's marks may tell what it is.
    const auto bytes = session.storage->read(request.save, session.limits.largest_file);
    FieldRequest as_map_says = request;
    if (bytes) as_map_says.is = maps.layout_for(*bytes);
    if (as_map_says.is)
      if (auto again = open_unmapped(session, as_map_says)) opened = std::move(again);
  }
  if (!opened) return opened;
  MappedSave mapped = std::move(*opened);
  const Source& source = mapped.source;
  auto map =
      request.map ? maps.read(*request.map) : maps.find(source.save, mapped.game, source.stem);
  if (!map) return tl::unexpected(map.error());
  const Part* part = FieldMaps::part_for(**map, source.save);
  if (part == nullptr)
    return fail(Trouble::stopped, Code::no_match,
                fmt::format("{}: is not for this save: its system, size or marks differ",
                            safe_text((*map)->file)),
                "look at [fits] in the map");
  mapped.map = std::move(*map);
  mapped.part = part->name;
  auto view = fields::FieldView::open(mapped.map, part->data);
  if (!view) return tl::unexpected(view.error());
  mapped.view = std::move(*view);
  return mapped;
}

std::optional<std::vector<FieldChange>> changes_between(const FieldMapPtr& map, const Bytes& older,
                                                        const Bytes& newer) {
  auto before = fields::FieldView::open(map, older);
  auto after = fields::FieldView::open(map, newer);
  if (!before || !after) return std::nullopt;
  std::map<std::string, std::string> old;
  const auto old_fields = before->all();
  if (!old_fields) return std::nullopt;
  for (const fields::FieldAt& at : *old_fields)
    old[at.path()] = fields::text_of(*before, at).value_or("");
  const auto new_fields = after->all();
  if (!new_fields) return std::nullopt;
  std::vector<FieldChange> changes;
  for (const fields::FieldAt& at : *new_fields) {
    FieldChange change{at.path(), at.field->label, "", fields::text_of(*after, at).value_or(""),
                       at.field->unit};
    const auto was = old.find(change.path);
    if (was != old.end()) change.before = was->second;
    const bool same = was != old.end() && change.before == change.after;
    if (was != old.end()) old.erase(was);
    if (!same) changes.push_back(std::move(change));
  }
  for (const auto& [path, value] : old) changes.push_back({path, "", value, "", ""});
  return changes;
}

}  // namespace bayswap
