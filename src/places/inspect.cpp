#include "places/inspect.h"

#include <fmt/core.h>

#include <algorithm>

#include "bayswap/card.h"
#include "bayswap/naming.h"
#include "bayswap/state.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/chips.h"
#include "core/layouts/titles/path_text.h"
#include "core/naming/tags.h"
#include "core/ordinary/ordinary_file.h"
#include "core/packing/archive.h"
#include "core/packing/packing.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "places/file_kind.h"
#include "places/folder_cards.h"
#include "places/name_fields.h"
#include "places/second_file.h"
#include "places/walk.h"

namespace bayswap {
namespace {

// By its text where that will do: it is asked of every file of large places.
std::string full_text(const Path& path) {
  const std::string& text = path.native();
  const bool plain = text.starts_with('/') && !text.ends_with("/.") && !text.ends_with("/..") &&
                     text.find("//") == std::string::npos &&
                     text.find("/./") == std::string::npos &&
                     text.find("/../") == std::string::npos;
  if (plain) return text;
  std::error_code ignored;
  const Path full = std::filesystem::absolute(path, ignored);
  return ignored ? text : full.lexically_normal().native();
}

Result<FileView> view_of(Storage& storage, const Path& path, const FileInfo* walked) {
  if (walked == nullptr || walked->size > kSaveLimit) return storage.view(path, kSaveLimit);
  auto seen = storage.view_if(path, *walked, 0, {});
  if (!seen) return tl::unexpected(seen.error());
  return std::move(**seen);
}

bool starts_as_png(ByteView bytes) {
  return bytes.size() > 4 && bytes[0] == std::byte{0x89} && bytes[1] == std::byte{'P'};
}

// What a large file is instead of a save, by its beginning: films and programs are not read whole.
// Empty where the beginning does not tell.
std::string ordinary_by_beginning(Storage& storage, const Path& path, const FileInfo& info) {
  constexpr std::uint64_t kLarge = 1U << 18U;
  constexpr std::size_t kBeginning = 4096;
  if (info.size < kLarge) return {};
  const auto start = storage.view_start(path, kBeginning);
  if (!start) return {};
  const ByteView bytes = start->bytes().first(std::min(start->bytes().size(), kBeginning));
  // States are packed and lie behind pictures, archives hold saves.
  if (has_state_bytes(bytes) || packing_of(bytes) != Packing::plain || is_archive(bytes) ||
      starts_as_png(bytes))
    return {};
  auto [words, sure] = ordinary_file(bytes);
  return sure ? words : std::string();
}

// The ROMs that a save may belong to, nearest source first.
std::vector<const RomFile*> rom_candidates(RomFolders& folders, const Inspection& found,
                                           const InspectOptions& options) {
  const std::string stem = found.shelf ? found.shelf->stem : stem_of(found.path);
  if (found.shelf) {
    auto roms = folders.of_shelf(*found.shelf->bay, *found.shelf->shelf)
                    .matching(stem, found.shelf->shelf->system);
    if (!roms.empty()) return roms;
  }
  const RomIndex& roms =
      options.index != nullptr ? *options.index : folders.beside(found.path.parent_path());
  auto matching = roms.matching(stem, options.system);
  if (!matching.empty()) return matching;
  // A state may have its slot in an extension before the last.
  const std::string of_state = state_name_of(inner_name(found.path)).stem;
  return of_state == stem ? matching : roms.matching(of_state, options.system);
}

// Keeps the ROMs whose family can have left these bytes at all.
std::vector<const RomFile*> plausible(std::vector<const RomFile*> roms, ByteView bytes,
                                      const Catalog& catalog) {
  if (roms.size() < 2) return roms;
  std::erase_if(roms, [&](const RomFile* rom) {
    return identify(bytes, hints_of(rom->info, catalog)).empty();
  });
  return roms;
}

std::vector<const RomFile*> nearest(std::vector<const RomFile*> roms, const Path& path) {
  if (roms.size() < 2) return roms;
  const std::vector<std::string> names = names_in(path.native());
  std::size_t most = 0;
  for (const RomFile* rom : roms) most = std::max(most, nearness(*rom, names));
  std::erase_if(roms, [&](const RomFile* rom) { return nearness(*rom, names) < most; });
  return roms;
}

void keep_only(std::vector<Guess>& guesses, const std::vector<std::string>& ids) {
  std::vector<Guess> kept;
  for (const Guess& guess : guesses)
    if (std::find(ids.begin(), ids.end(), guess.layout->info().id) != ids.end())
      kept.push_back(guess);
  if (!kept.empty()) guesses = std::move(kept);
}

Result<void> choose_layout(Inspection& found, const InspectOptions& options) {
  if (!options.is.empty()) {
    const auto layout = find_layout(options.is);
    if (!layout) return tl::unexpected(layout.error());
    const System system = (*layout)->info().system;
    if (found.rom && found.rom->info.system != system) {
      // The user knows better than a name: that ROM is not this save's.
      found.rom.reset();
      found.hints = Hints{};
      found.hints.file_name = inner_name(found.path);
    }
    found.hints.system = system;
    found.guesses = {{*layout, Confidence::certain, "you said so", Basis::size}};
    return {};
  }
  auto known = believable(found.view.bytes(), found.hints);
  found.guesses = std::move(known.guesses);
  found.ordinary = std::move(known.ordinary);
  if (found.shelf) keep_only(found.guesses, found.shelf->shelf->layout);
  return {};
}

Evidence evidence_of(const Inspection& found, const InspectOptions& options, bool neighbours) {
  if (found.guesses.empty()) return Evidence::none;
  if (!options.is.empty()) return Evidence::said;
  if (found.guesses.front().basis == Basis::structure) return Evidence::content;
  if (found.shelf && found.shelf->shelf->kind != Kind::state) return Evidence::shelf;
  if (found.game_known || found.hints.chips || !found.several_roms.empty()) return Evidence::game;
  if (neighbours) return Evidence::neighbours;
  return has_save_extension(found.hints.file_name) ? Evidence::extension : Evidence::size;
}

// The catalog's game whose title the file bears, where only one system has such a game.
std::optional<Hints> hints_of_title(const Catalog& catalog, const Path& path) {
  const std::string title = untagged_name(stem_of(path));
  std::optional<Hints> hints;
  if (catalog.games().empty()) return hints;
  for (const System system : all_systems()) {
    const CatalogGame* game = catalog.find(system, title);
    if (game == nullptr) continue;
    if (hints) return std::nullopt;
    hints.emplace();
    hints->system = system;
    hints->chips = game->chips();
  }
  return hints;
}

// Whether files of the same name in other slots lie beside one that the user named.
bool slots_beside(Storage& storage, const Path& path) {
  if (!ends_in_slot(inner_name(path))) return false;
  const Path folder = path.has_parent_path() ? path.parent_path() : Path(".");
  const auto files = files_below(storage, folder, false);
  return Neighbours::of(files, {}).slots_beside(folder / path.filename());
}

constexpr std::uint64_t kMostWithCompanion = 1U << 18U;  // bytes; larger saves stand alone
bool is_state(Session& session, const Inspection& found, const InspectOptions& options) {
  if (found.shelf && found.shelf->shelf->kind == Kind::state) return true;
  if (found.rom && found.rom->path == found.path) return false;  // it is the ROM itself
  StateContext context;
  context.ordinary = found.ordinary;
  if (found.game_known) context.hints = found.hints;
  const bool named = options.neighbours == nullptr;
  context.thorough = named;
  context.slots_beside = named ? slots_beside(*session.storage, found.path)
                               : options.neighbours->slots_beside(found.path);
  if (state_sign(inner_name(found.path), found.view.bytes(), found.guesses, context) ==
      StateSign::none)
    return false;
  // A card that somebody compressed is still a card.
  const auto inside = compressed_file(found.view.bytes(), {});
  return !inside || as_card(inside->layout) == nullptr;
}

// The one game in all bays that a loose file is named after; nothing when several could be meant.
std::optional<RomFile> namesake_in_bays(const Catalog& catalog, RomFolders& folders,
                                        const Inspection& found) {
  auto roms = folders.of_bays().matching(stem_of(found.path), std::nullopt);
  const auto fitting = plausible(roms, found.view.bytes(), catalog);
  if (!fitting.empty()) roms = fitting;
  if (roms.empty()) return std::nullopt;
  for (const RomFile* rom : roms)
    if (rom->info.system != roms.front()->info.system || rom->info.game != roms.front()->info.game)
      return std::nullopt;
  return *roms.front();
}

}  // namespace

const RomIndex& RomFolders::beside(const Path& folder) {
  return scanned(folder, false);
}
const RomIndex& RomFolders::below(const Path& folder) {
  return scanned(folder, true);
}

void RomFolders::know_below(const Path& folder, const RomIndex& roms) {
  const std::scoped_lock lock(reading_);
  const auto [known, fresh] = known_.try_emplace({folder.lexically_normal(), true}, roms);
  walked_ = {folder, full_text(folder), &known->second};
}

const RomIndex& RomFolders::of_bays() {
  std::call_once(listed_, [this] {
    for (const Bay& bay : session_->bays.bays())
      for (const Shelf& shelf : bay.shelves)
        for (const RomFile* rom : of_shelf(bay, shelf).roms())
          if (rom->info.system == shelf.system && !of_bays_.has_path(rom->path)) of_bays_.add(*rom);
  });
  return of_bays_;
}

const std::vector<ShelfToMatch>& RomFolders::shelves() {
  std::call_once(compiled_, [this] {
    for (const Bay& bay : session_->bays.bays())
      for (const Shelf& shelf : bay.shelves)
        if (auto pattern = NamingPattern::parse(shelf.pattern))
          shelves_.push_back(
              {&bay, &shelf, bay.place.lexically_normal().native(), std::move(*pattern)});
  });
  return shelves_;
}

const RomIndex& RomFolders::scanned(const Path& folder, bool below) {
  const auto key = std::pair(folder.lexically_normal(), below);
  const std::scoped_lock lock(reading_);
  const auto known = known_.find(key);
  if (known != known_.end()) return known->second;
  const auto take = [&](const RomIndex& roms, const Path& inside) -> const RomIndex* {
    RomIndex inner = roms.in(inside);
    return inner.roms().empty() ? nullptr : &known_.emplace(key, std::move(inner)).first->second;
  };
  const std::string& wanted = key.first.native();
  if (below && walked_.roms != nullptr && text_lies_in(walked_.full, wanted)) {
    // Bays name their places in full; the walk may have begun at a relative path.
    const Path inside =
        wanted == walked_.full ? walked_.folder : walked_.folder / text_below(walked_.full, wanted);
    if (const RomIndex* found = take(*walked_.roms, inside)) return *found;
  }
  if (below)
    for (const auto& [place, roms] : known_)
      if (place.second && lies_in(place.first, key.first))
        if (const RomIndex* found = take(roms, key.first)) return *found;
  const Path start = folder.empty() ? Path(".") : folder;
  return known_.emplace(key, RomIndex::scan(*session_->storage, start, below, session_->catalog))
      .first->second;
}

const RomIndex& RomFolders::of_shelf(const Bay& bay, const Shelf& shelf) {
  static const RomIndex kNone;
  if (shelf.roms.empty()) return kNone;
  // Asked of every file on the shelf, so by text alone.
  const std::string place = bay.place.native() + '/' + shelf.roms;
  {
    const std::scoped_lock lock(reading_);
    if (const auto known = of_shelves_.find(place); known != of_shelves_.end())
      return *known->second;
  }
  const RomIndex& roms = below(shelf.roms == "." ? bay.place : bay.place / shelf.roms);
  const std::scoped_lock lock(reading_);
  of_shelves_.emplace(place, &roms);
  return roms;
}

std::optional<ShelfMatch> find_shelf(Session& session, RomFolders& folders, const Path& path) {
  std::optional<ShelfMatch> loose;
  if (session.bays.bays().empty()) return loose;
  const std::string full = full_text(path);
  const Bay* bay = nullptr;
  std::optional<std::string> relative;  // in the bay, when it lies there
  for (const ShelfToMatch& candidate : folders.shelves()) {
    if (candidate.bay != bay) {
      bay = candidate.bay;
      relative.reset();
      if (text_lies_in(candidate.place, full)) relative = text_below(candidate.place, full);
    }
    const auto fields = relative ? candidate.pattern.match(*relative) : std::nullopt;
    if (!fields) continue;
    const Shelf& shelf = *candidate.shelf;
    const auto stem = fields->find("stem");
    ShelfMatch match{bay, &shelf, stem_of(path), std::nullopt};
    if (const auto slot = fields->find("slot"); slot != fields->end()) match.slot = slot->second;
    for (const char* name : {"serial", "code", "title", "stem"})
      if (const auto value = fields->find(name); value != fields->end()) match.stem = value->second;
    const auto roms = roms_of_fields(*session.storage, folders.of_shelf(*bay, shelf), shelf.system,
                                     *fields, session.catalog);
    // A title or code in the path means the ROM's own name.
    if (stem == fields->end() && !roms.empty()) match.stem = roms.front()->stem;
    if (!roms.empty()) return match;
    if (!loose) loose = match;
  }
  return loose;
}

Result<Inspection> inspect(Session& session, RomFolders& folders, const Path& path,
                           const InspectOptions& options) {
  Inspection found;
  found.path = path;
  if (options.neighbours != nullptr && options.info != nullptr && options.view == nullptr &&
      options.is.empty()) {
    found.ordinary = ordinary_by_beginning(*session.storage, path, *options.info);
    if (!found.ordinary.empty()) {
      found.info = *options.info;
      found.hints.file_name = inner_name(path);
      return found;
    }
  }
  // A save may be named through a link; what is read is the file behind it.
  auto view = options.view != nullptr ? Result<FileView>(*options.view)
                                      : view_of(*session.storage, path, options.info);
  if (!view) return tl::unexpected(view.error());
  found.view = std::move(*view);
  if (options.info != nullptr)
    found.info = *options.info;
  else if (const auto info = session.storage->info(path))
    found.info = *info;
  found.info.size = found.view.bytes().size();
  found.hints.file_name = inner_name(path);
  found.hints.system = options.system;
  const Bytes companion = options.companions && found.info.size <= kMostWithCompanion
                              ? read_second_file(*session.storage, path)
                              : Bytes{};
  found.hints.second_file = companion;

  if (options.rom) {
    found.rom = read_rom_file(*session.storage, *options.rom, session.catalog);
    if (!found.rom) {
      if (const auto there = session.storage->view(*options.rom, kSaveLimit); !there)
        return tl::unexpected(there.error());
      return fail(
          Trouble::input, Code::no_match,
          fmt::format("{}: is not a ROM that Bay Swap knows", safe_text(options.rom->string())),
          {"name the game's ROM, or leave ", Remedy::rom, " out"});
    }
  } else {
    found.shelf = find_shelf(session, folders, path);
    auto roms = nearest(
        plausible(rom_candidates(folders, found, options), found.view.bytes(), session.catalog),
        path);
    if (roms.size() == 1) found.rom = *roms.front();
    if (roms.size() > 1)
      for (const RomFile* rom : roms) found.several_roms.push_back(rom->path.string());
  }
  if (found.rom) {
    Hints hints = hints_of(found.rom->info, session.catalog);
    hints.file_name = found.hints.file_name;
    if (!options.system || hints.system == options.system) found.hints = std::move(hints);
  } else if (found.shelf) {
    found.hints.system = found.shelf->shelf->system;
  } else {
    found.named_after = options.expected;
    if (!found.named_after && options.is.empty() && !options.system && found.several_roms.empty())
      found.named_after = namesake_in_bays(session.catalog, folders, found);
    if (found.named_after) {
      found.hints = hints_of(found.named_after->info, session.catalog);
      found.hints.file_name = inner_name(path);
    }
  }
  bool by_neighbours = false;
  if (!found.game_known_by_rom() && !found.shelf && options.is.empty() && !found.hints.system) {
    if (auto hints = hints_of_title(session.catalog, path)) {
      hints->file_name = found.hints.file_name;
      found.hints = std::move(*hints);
    } else if (options.neighbours != nullptr) {
      found.hints.system = options.neighbours->system_of(path);
      by_neighbours = found.hints.system.has_value();
    }
  }
  found.hints.second_file = companion;
  found.hints.thorough = options.neighbours == nullptr;
  found.game_known = found.game_known_by_rom();
  if (auto chosen = choose_layout(found, options); !chosen) return tl::unexpected(chosen.error());
  if (options.is.empty() && is_piece_of_folder_card(*session.storage, path, found.guesses)) {
    found.guesses.clear();
    found.ordinary = "a piece of the memory card that is kept as this folder";
  }
  found.evidence = evidence_of(found, options, by_neighbours);
  if (options.is.empty()) found.state = is_state(session, found, options);
  return found;
}

Findings judge_unknown(const Inspection& found) {
  const std::uint64_t size = found.info.size;
  const bool save_like = found.shelf.has_value() || has_save_extension(found.hints.file_name);
  const bool meant = save_like || found.game_known || found.hints.thorough;
  if (size == 0 && !meant) return {{Level::note, Code::empty_file, "an empty file", ""}};
  if (size == 0)
    return {{Level::error,
             Code::empty_file,
             "the file is empty: it holds no progress",
             {"look for an older copy; '", Remedy::show_history, "' may have one"}}};
  if (meant)
    if (const auto inside = compressed_file(found.view.bytes(), found.hints))
      return {{Level::note, Code::unknown,
               fmt::format("compressed with {}; unpacked it has {} bytes{}",
                           to_string(inside->packing), grouped(inside->size),
                           inside->layout == nullptr ? "" : ": a " + inside->layout->info().id),
               "unpack it, and name the file that comes out"}};
  // A file that the user named may be a save under any name, when much of the chip is there.
  const auto much_of = [&](std::uint64_t chip) { return found.hints.thorough && size * 2 >= chip; };
  if (found.hints.chips)
    for (const Chip& chip : *found.hints.chips)
      if (chip.part != "clock" && size < chip.size && (save_like || much_of(chip.size)))
        return {{Level::error, Code::damaged,
                 fmt::format("the file is cut short: {} of the {} bytes of the game's {}",
                             grouped(size), grouped(chip.size), chip.part),
                 "copy or dump it again"}};
  if (save_like)
    for (const auto& layout : layouts().all())
      for (const std::uint64_t usual : layout->info().file_sizes)
        if (usual > size && usual - size < kTrailerLimit && usual >= 4096)
          return {{Level::warn, Code::wrong_size,
                   fmt::format("{} bytes is {} less than {}: the file may be cut short",
                               grouped(size), usual - size, layout->info().id),
                   "copy or dump it again, and compare"}};
  if (meant && looks_sealed(found.view.bytes()))
    return {{Level::note, Code::unknown,
             "not a form that Bay Swap knows: its bytes look compressed or encrypted, so only the "
             "program that made it can open it",
             "let that program write a plain save"}};
  return {{Level::note,
           Code::unknown,
           std::string(kNoKnownForm),
           {"if you know what it is, say so with ", Remedy::layout_of_input, "; '",
            Remedy::list_layouts, "' lists them"}}};
}

}  // namespace bayswap
