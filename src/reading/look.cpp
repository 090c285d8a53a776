#include "bayswap/look.h"

#include <fmt/core.h>

#include <algorithm>
#include <memory>
#include <unordered_set>
#include <utility>

#include "bayswap/folder.h"
#include "core/bytes/fill.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/cartridge/health.h"
#include "core/packing/archive.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "files/two_threads.h"
#include "places/find_folders.h"
#include "places/inspect.h"
#include "places/second_file.h"
#include "places/walk.h"
#include "reading/card_items.h"
#include "reading/card_saves.h"
#include "reading/found_states.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

Detail detail_of(const LookOptions& options) {
  return {options.hashes, !options.hashes && !options.brief};
}

Item rom_item(const Path& path, const FileInfo& info, const RomInfo& rom, const Catalog& catalog) {
  Item item;
  item.path = path.string();
  item.size = info.size;
  item.file_modified_ns = info.modified_ns;
  item.system = rom.system;
  item.kind = Kind::rom;
  item.game = rom.game;
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

void add_blank_finding(const Save& save, Item& item) {
  if (!*item.blank) return;
  std::string what = "formatted and empty";
  for (const Part& part : save.parts) {
    if (part.data.empty()) continue;
    if (is_erased(part.data)) {
      what = part.data[0] == kErasedZero ? "all 00" : "all FF";
    } else if (has_short_period(part.data)) {
      what = "the same few bytes over and over, as memory wakes up without a battery";
    }
  }
  item.findings.push_back(
      {Level::warn, Code::blank_battery,
       fmt::format(
           "the save is blank ({}): a new file, or a dump of a cartridge with a dead battery",
           what),
       "if there should be progress, check the battery and dump again before playing"});
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
  for (std::size_t i = 1; i < found.guesses.size(); ++i)
    if (found.guesses[i].confidence == *item.confidence)
      item.other_layouts.push_back(found.guesses[i].layout->info().id);
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
         fmt::format("{} unknown bytes stand behind the save; a program put them there",
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
         {"say which with ", Remedy::rom}});
}

void add_state(const Inspection& found, const LookOptions& options, const Catalog& catalog,
               Item& item) {
  item.kind = Kind::state;
  item.slot = slot_of(found);
  if (!item.system && found.game_known) item.system = found.hints.system;
  if (item.game.title.empty()) item.game.title = safe_text(title_of_state(found, catalog));
  const bool named = has_state_name(inner_name(found.path));
  item.findings.push_back(
      state_finding(named ? "its name has a slot" : "its size or form fits no save chip"));
  // Where states belong, one is no surprise.
  if (named || (found.shelf && found.shelf->shelf->kind == Kind::state))
    item.findings.back().level = Level::note;
  if (options.brief) return;
  if (auto state = read_state(found.view.bytes(), item.path))
    item.state = std::move(*state);
  else
    item.findings.push_back(
        {Level::error, state.error().code, state.error().text, state.error().hint});
}

// What is known context a file before it is looked at.
struct FileContext {
  const RomIndex* roms = nullptr;  // of the folder that is looked through
  const FileInfo* info = nullptr;  // known, where `roms` are
  const FileView* view = nullptr;  // where it was read already
  bool companions = true;
};

Result<Item> look_at_file(Session& session, RomFolders& folders, const Path& path,
                          const LookOptions& options, const FileContext& context) {
  const RomIndex* index = context.roms;
  if (or_empty(options.is).empty() && index == nullptr) {
    if (const auto rom = read_rom_file(*session.storage, path, session.catalog))
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
  how.companions = context.companions;
  auto found = inspect(session, folders, path, how);
  if (!found) return tl::unexpected(found.error());
  Item item;
  item.path = path.string();
  item.size = found->info.size;
  item.file_modified_ns = found->info.modified_ns;
  add_game(*found, session.catalog, item);
  if (found->state) {
    add_state(*found, options, session.catalog, item);
    return item;
  }
  if (found->layout() != nullptr) {
    read_save(*found, options, session.catalog, item);
  } else if (const Path partner = first_file_of(*session.storage, path); !partner.empty()) {
    item.findings.push_back({Level::note, Code::companion,
                             fmt::format("belongs to {} beside it, and moves with it",
                                         safe_text(partner.filename().string())),
                             ""});
  } else {
    const Findings judged = judge_unknown(*found);
    item.findings.insert(item.findings.end(), judged.begin(), judged.end());
  }
  return item;
}

// Empty when the file cannot be read.
std::string sha256_of_file(Storage& storage, const Path& path) {
  constexpr std::size_t kStep = 1U << 20U;
  Hasher hasher;
  const auto read = storage.stream(path, kStep, [&](ByteView piece) {
    hasher.add(piece);
    return true;
  });
  return read ? hex_text(hasher.finish()) : std::string();
}

Item unreadable_item(const Path& path, std::uint64_t size, const Error& error) {
  Item item;
  item.path = path.string();
  item.size = size;
  item.findings.push_back({Level::warn, error.code, error.text, error.hint});
  return item;
}

const FolderLayout& layout_of(const std::string& folder_layout) {
  return *as_folder(layouts().find(folder_layout));
}

// A folder that is one save by what lies in it.
std::optional<Item> folder_save(Session& session, const Path& folder, const LookOptions& options) {
  std::error_code ignored;
  const std::string full = std::filesystem::absolute(folder, ignored).lexically_normal().string();
  const auto marked = [&](const FolderLayout& layout) {
    if (layout.place(full)) return true;
    return !layout.marker().empty() && !is_missing(*session.storage, folder / layout.marker());
  };
  for (const auto& layout : layouts().all()) {
    const FolderLayout* kind = as_folder(layout.get());
    if (kind == nullptr ||
        !(or_empty(options.is).empty() ? marked(*kind) : or_empty(options.is) == kind->info().id))
      continue;
    auto found = read_card_saves(session, folder.string(), or_empty(options.is), Hold::small);
    if (!found && found.error().code == Code::unreadable) {
      Item item = unreadable_item(folder, 0, found.error());
      item.findings.front().level = Level::error;
      item.kind = kind->info().kind;
      item.system = kind->info().system;
      return item;
    }
    if (!found || found->saves.size() != 1) continue;
    Save& save = found->saves.front();
    add_catalog_title(session.catalog, save);
    Item item;
    item.path = folder.string();
    item.system = save.system;
    item.kind = save.kind;
    item.layout = found->layout;
    item.file_modified_ns = found->modified_ns;
    item.confidence = Confidence::certain;
    item.reason = layout_of(found->layout).place(full)
                      ? std::string("its path is that of a title's save")
                      : fmt::format("a folder with {}", kind->marker());
    item.details = std::move(found->details);
    item.findings = std::move(found->findings);
    item.game = save.game;
    item.name = save.name;
    item.comment = save.comment;
    item.modified = save.modified;
    item.blank = save.blank();
    for (const Part& part : save.parts) {
      item.size += part.size();
      item.parts.push_back(part_info(part, detail_of(options)));
      if (part.outside == 0 || !options.hashes) continue;
      item.parts.back().sha256 = sha256_of_file(*session.storage, folder / part.name);
    }
    return item;
  }
  return std::nullopt;
}

// The nearest folder above a path, or the path itself, that is one of them.
std::optional<Path> title_above(const std::unordered_set<std::string>& titles, const Path& path) {
  if (titles.empty()) return std::nullopt;
  for (Path at = path; !at.empty(); at = at.parent_path()) {
    if (titles.contains(at.string())) return at;
    if (at == at.parent_path()) break;
  }
  return std::nullopt;
}

// An archive is one item, and what it holds are its saves. Nothing for other files, and for ROMs
// that come packed.
std::optional<Result<Item>> archive_item(Session& session, const Path& path,
                                         const LookOptions& options) {
  const auto view = session.storage->view(path, kSaveLimit);
  if (!view || !is_archive(view->bytes()) || read_rom_file(*session.storage, path, session.catalog))
    return std::nullopt;
  Item item;
  item.path = path.string();
  item.size = view->bytes().size();
  const auto listed = look(session, archive_root(path), options, [&](const Item& inner) {
    SaveInfo info;
    info.name = archive_name(inner.path).substr(item.path.size() + 1);
    info.comment = inner.comment.empty() ? inner.name : inner.comment;
    info.layout = inner.layout;
    info.size = inner.size;
    info.game = inner.game;
    info.parts = inner.parts;
    info.modified = inner.modified;
    info.findings = inner.findings;
    if (inner.kind || !inner.layout.empty())
      item.saves.push_back(std::move(info));
    else
      ++item.other_files;
  });
  if (!listed) return Result<Item>(tl::unexpected(listed.error()));
  item.archive = true;
  return Result<Item>(std::move(item));
}

// Looks at the files of a folder that no ROM claims, while its ROMs are searched for, so that
// they are opened once.
class EarlyLooks {
 public:
  EarlyLooks(Session& session, RomFolders& folders, const LookOptions& options,
             const std::vector<WalkedFile>& files, bool companions)
      : session_(session), folders_(folders), options_(options), files_(files) {
    context_.companions = companions;
    constexpr std::size_t kMost = 1U << 16U;
    if (session.bays.bays().empty() && !options.rom && options.brief)
      found_.resize(std::min(files.size(), kMost));
  }

  void look(std::size_t number, const FileView& view) {
    if (number >= found_.size()) return;
    FileContext context = context_;
    context.roms = &none_;
    context.info = &files_[number].info;
    context.view = &view;
    auto item = look_at_file(session_, folders_, files_[number].path, options_, context);
    if (item) found_[number] = std::make_unique<Item>(std::move(*item));
  }

  /// Nothing where it was not looked at, or one of the ROMs may tell more.
  std::unique_ptr<Item> take(std::size_t number, const RomIndex& roms) {
    if (number >= found_.size() || !found_[number]) return nullptr;
    const bool claimed =
        !roms.roms().empty() && !roms.matching(stem_of(files_[number].path), std::nullopt).empty();
    return claimed ? nullptr : std::move(found_[number]);
  }

 private:
  Session& session_;
  RomFolders& folders_;
  const LookOptions& options_;
  const std::vector<WalkedFile>& files_;
  const RomIndex none_;
  FileContext context_;
  std::vector<std::unique_ptr<Item>> found_;
};

// Files that are looked at on two threads, and handed on in their order, by one thread at a time:
// those of the batch before while the next ones are looked at.
class FileBatch {
 public:
  FileBatch(Session& session, RomFolders& folders, const LookOptions& options,
            const FileContext& context, const std::function<void(const Item&)>& sink)
      : session_(session), folders_(folders), options_(options), context_(context), sink_(sink) {}

  /// `known`: what it is, where that is known.
  void add(const WalkedFile& file, std::unique_ptr<Item> known) {
    constexpr std::size_t kMost = 1024;  // files that wait
    files_.push_back({&file, std::move(known)});
    if (files_.size() == kMost) look_at_batch();
  }

  void finish() {
    look_at_batch();
    hand_on();
  }

 private:
  struct Waiting {
    const WalkedFile* file = nullptr;
    std::unique_ptr<Item> item;
  };

  void look_at_batch() {
    on_two_threads(files_.size() + 1, [&](std::size_t i) {
      if (i == 0)
        hand_on();
      else
        look_at(files_[i - 1]);
    });
    ready_ = std::exchange(files_, {});
  }

  void hand_on() {
    for (const Waiting& ready : ready_) sink_(*ready.item);
    ready_.clear();
  }

  void look_at(Waiting& waiting) {
    if (!waiting.item) {
      FileContext context = context_;
      context.info = &waiting.file->info;
      auto item = look_at_file(session_, folders_, waiting.file->path, options_, context);
      waiting.item = std::make_unique<Item>(
          item ? std::move(*item)
               : unreadable_item(waiting.file->path, waiting.file->info.size, item.error()));
    }
    // An empty file that nobody named is no alarm: programs leave such markers.
    for (Finding& finding : waiting.item->findings)
      if (finding.code == Code::empty_file) finding.level = Level::warn;
  }

  Session& session_;
  RomFolders& folders_;
  const LookOptions& options_;
  FileContext context_;
  const std::function<void(const Item&)>& sink_;
  std::vector<Waiting> files_;
  std::vector<Waiting> ready_;  // looked at, and not yet handed on
};

// Everything in a folder and below it.
Result<void> look_through(Session& session, const Path& path, const LookOptions& options,
                          const std::function<void(const Item&)>& sink) {
  RomFolders folders(session);
  std::vector<Error> shut;
  std::vector<WalkedFile> files = files_below(*session.storage, path, true, &shut);
  for (const Error& error : shut) sink(unreadable_item(path, 0, error));
  std::unordered_set<std::string> titles;  // folders that are saves of their own
  bool companions = false;
  on_two_threads(2, [&](std::size_t task) {
    if (task == 1)
      companions = std::ranges::any_of(
          files, [](const WalkedFile& file) { return is_second_file_name(file.path); });
    else
      for (const FoundFolder& found : find_folders(*session.storage, path, files))
        titles.insert(found.path.string());
  });
  EarlyLooks early(session, folders, options, files, companions);
  folders.know_below(
      path, RomIndex::of(*session.storage, files, session.catalog,
                         [&](std::size_t i, const FileView& view) { early.look(i, view); }));
  const RomIndex& roms = folders.below(path);
  std::optional<Path> whole;  // a folder that is one save
  Path inside;
  Path entered;
  FileBatch batch(session, folders, options, {&roms, nullptr, nullptr, companions}, sink);
  const auto show_whole = [&](const Path& folder) {
    auto save = folder_save(session, folder, options);
    if (!save) return false;
    whole = folder;
    batch.finish();
    sink(*save);
    return true;
  };
  for (std::size_t i = 0; i < files.size(); ++i) {
    if (auto on = session.proceed(Work::files, i, files.size()); !on) return on;
    const WalkedFile& file = files[i];
    if (folder_text(file.path) != inside.native()) inside = file.path.parent_path();
    if (whole && lies_in(*whole, inside)) continue;
    if (const auto title = title_above(titles, inside); title && show_whole(*title)) continue;
    if (inside.native() != entered.native()) {
      entered = inside;
      whole.reset();
      if (show_whole(inside)) continue;
    }
    batch.add(file, early.take(i, roms));
  }
  batch.finish();
  return {};
}

}  // namespace

bool is_folder_save(Session& session, const Path& folder, const LookOptions& options) {
  LookOptions quick = options;
  quick.hashes = false;
  return folder_save(session, folder, quick).has_value();
}

Result<void> look(Session& session, const Path& path, const LookOptions& options,
                  const std::function<void(const Item&)>& sink) {
  auto info = session.storage->info(path);
  if (!info) return tl::unexpected(info.error());
  // A link to a folder is followed: the user named it.
  const bool folder = info->type != FileType::file && session.storage->list(path).has_value();
  if (!folder) {
    const bool slot = has_state_name(path.filename().string());  // states are zips, too
    if (auto packed = slot ? std::nullopt : archive_item(session, path, options)) {
      if (!*packed) return tl::unexpected(packed->error());
      sink(**packed);
      return {};
    }
    RomFolders folders(session);
    auto item = look_at_file(session, folders, path, options, {});
    if (!item) return tl::unexpected(item.error());
    sink(*item);
    return {};
  }
  if (const auto listed = session.storage->list(path); !listed)
    return tl::unexpected(listed.error());
  if (auto save = folder_save(session, path, options)) {
    sink(*save);
    return {};
  }
  return look_through(session, path, options, sink);
}

}  // namespace bayswap
