#include "reading/look_file.h"

#include <fmt/core.h>

#include <algorithm>
#include <utility>

#include "core/bytes/fill.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/health.h"
#include "core/naming/tags.h"
#include "core/packing/archive.h"
#include "core/packing/packing.h"
#include "files/archive_storage.h"
#include "places/file_kind.h"
#include "places/second_file.h"
#include "reading/found_states.h"
#include "reading/not_seen.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

Item rom_item(const Path& path, const FileInfo& info, const RomInfo& rom, const Catalog& catalog) {
  Item item;
  item.path = path.string();
  item.size = info.size;
  item.file_modified_ns = info.modified_ns;
  item.system = rom.system;
  item.kind = Kind::rom;
  item.game = rom.game;
  if (!rom.has_header) {
    item.game.title = safe_text(untagged_name(stem_of(path)));
    return item;
  }
  if (rom.crc32.empty()) {
    item.version = rom.version;
    item.header_ok = rom.header_ok;
  } else if (const CatalogGame* known = catalog.find(rom)) {
    item.game.title = known->title;
  }
  item.findings = rom.findings;
  const Hints hints = hints_of(rom, catalog);
  item.chips = hints.chips;
  if (hints.chips) item.chips_from = hints.chips_from_header ? "header" : "catalog";
  return item;
}

std::string blank_words(ByteView bytes) {
  if (is_erased(bytes)) return bytes[0] == kErasedZero ? "all 00" : "all FF";
  if (has_short_period(bytes))
    return "the same few bytes over and over, as memory wakes up without a battery";
  return {};
}

Finding blank_finding(const std::string& what) {
  return {Level::warn, Code::blank_battery,
          fmt::format(
              "the save is blank ({}): a new file, or a dump from a cartridge with a dead battery",
              what),
          "if there should be progress, check the battery and dump again before playing"};
}

void add_blank_finding(const Save& save, Item& item) {
  if (!*item.blank) return;
  std::string what = "formatted and empty";
  for (const Part& part : save.parts)
    if (!part.data.empty())
      if (std::string words = blank_words(part.data); !words.empty()) what = std::move(words);
  item.findings.push_back(blank_finding(what));
}

void add_titles(const Catalog& catalog, Card& card) {
  for (CardSave& on_card : card.saves) add_catalog_title(catalog, on_card.save);
  for (CardSave& on_card : card.deleted) add_catalog_title(catalog, on_card.save);
}

// Parts of a container that are cards, with the command that opens them.
void add_cards_inside(const Save& save, Item& item) {
  for (const Part& part : save.parts) {
    const CardLayout* layout = part.blank ? nullptr : card_layout_of(part.data, {}, false);
    const auto card =
        layout == nullptr ? Result<Card>(tl::unexpected(Error{})) : layout->list(part.data, {});
    if (!card) continue;
    item.findings.push_back(
        {Level::note, Code::card_inside,
         fmt::format("{} is a card with {}", part.name, counted(card->saves.size(), "save")),
         HintPiece{Remedy::show_card, fmt::format("{}:{}", safe_text(item.path), part.name)}});
  }
}

void read_save(const Inspection& found, const LookOptions& options, const Catalog& catalog,
               Item& item) {
  const Layout& layout = *found.layout();
  item.system = layout.info().system;
  item.kind = layout.info().kind;
  item.layout = layout.info().id;
  item.confidence = found.guesses.front().confidence;
  item.reason = found.guesses.front().reason;
  item.header = layout.header_size(found.view.bytes());
  for (std::size_t i = 1; i < found.guesses.size(); ++i)
    if (found.guesses[i].confidence == *item.confidence)
      item.candidates.push_back(found.guesses[i].layout->info().id);
  if (const CardLayout* card_layout = as_card(&layout)) {
    auto card = examine(*card_layout, found.view.bytes());
    if (!card) {
      item.findings.push_back(
          {Level::error, card.error().code, card.error().text, card.error().hint});
      return;
    }
    add_titles(catalog, *card);
    add_card(*card, detail_of(options), item);
    return;
  }
  auto content = layout.read(found.view.bytes(), found.hints);
  if (!content) {
    item.findings.push_back(
        {Level::error, content.error().code, content.error().text, content.error().hint});
    return;
  }
  item.findings.insert(item.findings.end(), content->findings.begin(), content->findings.end());
  if (!content->trailer.empty())
    item.findings.push_back(
        {Level::note, Code::trailer,
         fmt::format("{} unknown bytes come after the save; a program put them there",
                     content->trailer.size()),
         ""});
  if (content->saves.empty()) return;
  Save& save = content->saves.front();
  item.blank = save.blank();
  item.comment = save.comment;
  item.name = save.name;
  item.modified = save.modified;
  if (save.kind == Kind::card_save) {
    add_catalog_title(catalog, save);
    item.game = save.game;
  }
  for (const Part& part : save.parts) item.parts.push_back(part_info(part, detail_of(options)));
  add_blank_finding(save, item);
  if (save.parts.size() > 1) add_cards_inside(save, item);
}

void add_game(const Inspection& found, const Catalog& catalog, Item& item) {
  const std::optional<RomFile>& rom = found.rom ? found.rom : found.named_after;
  if (rom) {
    item.game = game_of(*rom, catalog);
    item.rom = rom->path.string();
    if (!item.system) item.system = rom->info.system;
    if (found.hints.chips) item.chips_from = found.hints.chips_from_header ? "header" : "catalog";
  }
  if (!found.several_roms.empty())
    item.findings.push_back(
        {Level::note,
         Code::many_match,
         fmt::format("more than one ROM fits: {}", safe_text(list_text(found.several_roms))),
         {"choose one with ", Remedy::rom}});
}

void add_state(const Inspection& found, const LookOptions& options, const Catalog& catalog,
               Item& item) {
  item.kind = Kind::state;
  item.slot = slot_of(found);
  if (!item.system && found.game_known) item.system = found.hints.system;
  if (item.game.title.empty()) item.game.title = safe_text(title_of_state(found, catalog));
  const bool named = has_state_name(inner_name(found.path));
  item.findings.push_back(
      state_finding(named ? "its name has a slot" : "its size or form matches no save chip"));
  // Where states belong, one is not a surprise.
  if (named || (found.shelf && found.shelf->shelf->kind == Kind::state))
    item.findings.back().level = Level::note;
  if (options.brief) return;
  if (auto state = read_state(found.view.bytes(), item.path))
    item.state = std::move(*state);
  else
    item.findings.push_back(
        {Level::error, state.error().code, state.error().text, state.error().hint});
}

// A file of a chip's size that nothing else speaks for, or against.
void add_candidates(const Inspection& found, Item& item) {
  for (const Guess& guess : found.guesses) item.candidates.push_back(guess.layout->info().id);
  item.confidence = Confidence::possible;
  const ByteView bytes = found.view.bytes();
  if (const std::string words = blank_words(bytes); !words.empty()) {
    item.blank = true;
    item.findings.push_back(blank_finding(words));
  }
  item.findings.push_back({Level::note,
                           Code::unknown,
                           fmt::format("unknown, of the size of {}", list_text(item.candidates)),
                           {"name its game's ROM with ", Remedy::rom, ", or say what it is with ",
                            HintPiece{Remedy::layout_of_input, item.candidates.front()}}});
}

// An archive. Compressed files are opened only where their names say that they are archives: every
// manual page is compressed.
bool may_hold_saves(const Inspection& found) {
  const Packing packing = packing_of(found.view.bytes());
  const bool plain = packing == Packing::plain || packing == Packing::zip;
  const std::string name = lower_ascii(found.hints.file_name);
  const bool called = name.find(".tar.") != std::string::npos || name.ends_with(".tgz") ||
                      name.ends_with(".tbz2") || name.ends_with(".txz");
  return !found.ordinary.empty() && (plain || called) && is_archive(found.view.bytes());
}

// A file that the user named, of which nothing for certain is known: a save behind a header may as
// well be one on a card whose beginning is gone.
bool may_be_damaged_card(const Inspection& found, bool named) {
  if (!named || !found.ordinary.empty()) return false;
  return found.layout() == nullptr || !is_enough(found.evidence) ||
         (as_card(found.layout()) == nullptr &&
          found.layout()->header_size(found.view.bytes()) > 0);
}

// What is not a save, in plain words.
void add_other(const Inspection& found, bool named, Item& item) {
  const bool compressed = named && packing_of(found.view.bytes()) != Packing::plain &&
                          compressed_file(found.view.bytes(), found.hints).has_value();
  if (!found.ordinary.empty() && !compressed) {
    item.findings.push_back({Level::note, Code::unknown,
                             fmt::format("{}, not a save, card or ROM", found.ordinary), ""});
    return;
  }
  const Findings judged = judge_unknown(found);
  const std::string words = named && judged.front().text == kNoKnownForm
                                ? describe_bytes(found.view.bytes())
                                : std::string();
  if (!words.empty()) {
    item.findings.push_back({Level::note, Code::unknown,
                             fmt::format("{}; by its bytes it may be: {}", kNoKnownForm, words),
                             judged.front().hint});
    return;
  }
  item.findings.insert(item.findings.end(), judged.begin(), judged.end());
}

}  // namespace

Result<Item> look_at_file(Session& session, RomFolders& folders, const Path& path,
                          const LookOptions& options, const FileContext& context) {
  const RomIndex* index = context.roms;
  if (or_empty(options.is).empty() && index == nullptr) {
    if (const auto rom = read_rom_file(*session.storage, path, session.catalog))
      return rom_item(path, session.storage->info(path).value_or(FileInfo{}), rom->info,
                      session.catalog);
    // Of one without a header, what lies beside it tells.
    const Path folder = path.has_parent_path() ? path.parent_path() : Path(".");
    if (const RomFile* rom = folders.beside(folder).at(folder / path.filename()))
      return rom_item(path, session.storage->info(path).value_or(FileInfo{}), rom->info,
                      session.catalog);
  } else if (or_empty(options.is).empty()) {
    // Looking through a folder has found its ROMs already.
    if (const RomFile* rom = index->at(path))
      return rom_item(path, *context.info, rom->info, session.catalog);
  }
  InspectOptions how;
  how.is = or_empty(options.is);
  how.rom = options.rom;
  how.index = index;
  how.info = context.info;
  how.view = context.view;
  how.neighbours = context.neighbours;
  how.companions = context.companions;
  auto found = inspect(session, folders, path, how);
  if (!found) return tl::unexpected(found.error());
  Item item;
  item.path = path.string();
  item.size = found->info.size;
  item.file_modified_ns = found->info.modified_ns;
  const bool named = context.neighbours == nullptr;
  if (const Path partner = first_file_of(*session.storage, path); !partner.empty()) {
    item.findings.push_back({Level::note, Code::companion,
                             fmt::format("belongs to {} beside it, and moves with it",
                                         safe_text(partner.filename().string())),
                             ""});
  } else if (found->state) {
    add_game(*found, session.catalog, item);
    add_state(*found, options, session.catalog, item);
  } else if (auto damaged = may_be_damaged_card(*found, named)
                                ? damaged_card(found->view.bytes(), path.string())
                                : std::nullopt) {
    item.findings.push_back(std::move(*damaged));
  } else if (found->layout() != nullptr &&
             (is_enough(found->evidence) || (named && found->guesses.size() == 1))) {
    add_game(*found, session.catalog, item);
    read_save(*found, options, session.catalog, item);
    if (auto not_seen = name_not_seen(folders, *found))
      item.findings.push_back(std::move(*not_seen));
  } else if (found->layout() != nullptr && (named || found->evidence == Evidence::extension)) {
    add_candidates(*found, item);
  } else {
    add_other(*found, named, item);
    item.archive = !named && may_hold_saves(*found);
  }
  return item;
}

Item unreadable_item(const Path& path, std::uint64_t size, const Error& error) {
  Item item;
  item.path = path.string();
  item.size = size;
  item.findings.push_back({Level::warn, error.code, error.text, error.hint});
  return item;
}

Detail detail_of(const LookOptions& options) {
  return {options.hashes, !options.hashes && !options.brief};
}

}  // namespace bayswap
