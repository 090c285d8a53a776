#include "bayswap/look.h"

#include <fmt/core.h>

#include <algorithm>
#include <map>
#include <memory>
#include <mutex>
#include <unordered_set>
#include <utility>

#include "bayswap/folder.h"
#include "bayswap/naming.h"
#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/packing/archive.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "files/two_threads.h"
#include "places/find_folders.h"
#include "places/folder_parts.h"
#include "places/inspect.h"
#include "places/second_file.h"
#include "places/title_trees.h"
#include "places/walk.h"
#include "reading/card_items.h"
#include "reading/card_saves.h"
#include "reading/look_file.h"
#include "reading/not_seen.h"
#include "reading/open_card.h"

namespace bayswap {
namespace {

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

const FolderLayout& layout_of(const std::string& folder_layout) {
  return *as_folder(layouts().find(folder_layout));
}

// A save on a title tree of a bay.
std::optional<Item> tree_save(Session& session, const Path& folder, const std::string& full,
                              const LookOptions& options, const std::vector<Bay>& bays) {
  for (const Bay& bay : bays)
    for (const Shelf& shelf : bay.shelves) {
      const std::string place = bay.place.lexically_normal().native();
      if (!is_title_tree(shelf) || !text_lies_in(place, full)) continue;
      const auto pattern = NamingPattern::parse(shelf.pattern);
      const auto fields = pattern ? pattern->match(text_below(place, full)) : std::nullopt;
      if (!fields) continue;
      const auto parts = read_parts(*session.storage, folder, Hold::small);
      if (!parts || parts->empty()) continue;
      Item item;
      item.path = folder.string();
      item.system = shelf.system;
      item.kind = Kind::folder;
      item.layout = shelf.layout.front();
      item.confidence = Confidence::certain;
      item.reason = "it lies where a shelf keeps this title";
      item.game = title_on_tree(bay, shelf, *fields, session.catalog).game;
      if (const auto copy = fields->find("copy"); copy != fields->end()) item.name = copy->second;
      item.blank = false;
      for (const Part& part : *parts) {
        item.size += part.size();
        item.parts.push_back(part_info(part, detail_of(options)));
      }
      for (const WalkedFile& file : files_below(*session.storage, folder))
        item.file_modified_ns = std::max(item.file_modified_ns, file.info.modified_ns);
      return item;
    }
  return std::nullopt;
}

// A folder that is one save by what lies in it.
// `tree`: around the folder, where no bay is known there.
std::optional<Item> folder_save(Session& session, const Path& folder, const LookOptions& options,
                                const std::vector<Bay>& tree) {
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
  if (!or_empty(options.is).empty()) return std::nullopt;
  auto on_shelf = tree_save(session, folder, full, options, session.bays.bays());
  return on_shelf ? std::move(on_shelf) : tree_save(session, folder, full, options, tree);
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

Result<void> look_through(Session& session, const Path& path, const LookOptions& options,
                          const std::function<void(const Item&)>& sink);

// An archive is one item, and what it holds are its saves.
Result<Item> archive_item(Session& session, const Path& path, const LookOptions& options) {
  const auto info = session.storage->info(path);
  if (!info) return tl::unexpected(info.error());
  Item item;
  item.path = path.string();
  item.size = info->size;
  item.file_modified_ns = info->modified_ns;
  if (const auto opened = session.storage->list(archive_root(path)); !opened)
    return tl::unexpected(opened.error());
  const auto listed = look_through(session, archive_root(path), options, [&](const Item& inner) {
    SaveInfo info;
    info.name = archive_name(inner.path).substr(item.path.size() + 1);
    info.comment = inner.comment.empty() ? inner.name : inner.comment;
    info.layout = inner.layout;
    info.candidates = inner.candidates;
    info.size = inner.size;
    info.game = inner.game;
    info.parts = inner.parts;
    info.modified = inner.modified;
    info.findings = inner.findings;
    if (inner.kind || !inner.layout.empty() || !inner.candidates.empty())
      item.saves.push_back(std::move(info));
    else
      ++item.other_files;
  });
  if (!listed) return tl::unexpected(listed.error());
  item.archive = true;
  return item;
}

// Whether the file is an archive, and not a ROM that comes packed.
bool is_archive_file(Session& session, const Path& path) {
  const auto view = session.storage->view(path, kSaveLimit);
  return view && is_archive(view->bytes()) &&
         !read_rom_file(*session.storage, path, session.catalog);
}

// Looks at the files of a folder that no ROM claims, while its ROMs are searched for, so that
// they are opened once.
class EarlyLooks {
  // An item; of the many files that are no saves, only what is said of them.
  struct Early {
    std::unique_ptr<Item> item;
    const Finding* other = nullptr;
  };

 public:
  EarlyLooks(Session& session, RomFolders& folders, const LookOptions& options,
             const std::vector<WalkedFile>& files, bool companions)
      : session_(session), folders_(folders), options_(options), files_(files) {
    context_.companions = companions;
    context_.neighbours = &alone_;
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
    auto item = look_at_file(session_, folders_, files_[number].path(), options_, context);
    if (!item) return;
    if (is_other(*item))
      found_[number].other = &known_finding(item->findings.front());
    else
      found_[number].item = std::make_unique<Item>(std::move(*item));
  }

  /// Nothing where it was not looked at, or one of the ROMs or of its neighbours may tell more.
  std::unique_ptr<Item> take(std::size_t number, const RomIndex& roms,
                             const Neighbours& neighbours) {
    if (number >= found_.size()) return nullptr;
    Early& early = found_[number];
    if (!early.item && early.other == nullptr) return nullptr;
    const Path path = files_[number].path();
    const bool claimed =
        !roms.roms().empty() && !roms.matching(stem_of(path), std::nullopt).empty();
    if (claimed || neighbours.system_of(path) || neighbours.slots_beside(path)) return nullptr;
    if (early.item) return std::move(early.item);
    auto item = std::make_unique<Item>();
    item->path = path.string();
    item->size = files_[number].info.size;
    item->file_modified_ns = files_[number].info.modified_ns;
    item->findings = {*early.other};
    return item;
  }

 private:
  static bool is_other(const Item& item) {
    return !item.kind && item.layout.empty() && item.candidates.empty() && !item.archive &&
           item.findings.size() == 1;
  }

  const Finding& known_finding(const Finding& finding) {
    const std::scoped_lock lock(noting_);
    return findings_.try_emplace(finding.text, finding).first->second;
  }

  Session& session_;
  RomFolders& folders_;
  const LookOptions& options_;
  const std::vector<WalkedFile>& files_;
  const RomIndex none_;
  const Neighbours alone_;
  FileContext context_;
  std::vector<Early> found_;
  std::mutex noting_;
  std::map<std::string, Finding> findings_;  // by their texts, which few kinds of files share
};

// Files that are looked at on two threads, and handed on in their order, by one thread at a time:
// those of the batch before while the next ones are looked at.
class FileBatch {
 public:
  FileBatch(Session& session, RomFolders& folders, const LookOptions& options,
            const FileContext& context, const std::function<void(const Item&)>& sink,
            bool in_archive)
      : session_(session),
        folders_(folders),
        options_(options),
        context_(context),
        sink_(sink),
        in_archive_(in_archive) {}

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
    for (const Waiting& ready : ready_) {
      if (const auto opened = open_archive(*ready.item))
        sink_(*opened);
      else
        sink_(*ready.item);
    }
    ready_.clear();
  }

  // The saves inside an archive; nothing where it holds none, or cannot be read.
  std::optional<Item> open_archive(Item& item) {
    if (!std::exchange(item.archive, false) || in_archive_) return std::nullopt;
    auto opened = archive_item(session_, item.path, options_);
    const bool saves =
        opened && std::ranges::any_of(opened->saves, [](const SaveInfo& inside) {
          return !inside.layout.empty() || !inside.parts.empty() || !inside.candidates.empty();
        });
    return saves ? std::optional(std::move(*opened)) : std::nullopt;
  }

  void look_at(Waiting& waiting) {
    if (!waiting.item) {
      FileContext context = context_;
      context.info = &waiting.file->info;
      auto item = look_at_file(session_, folders_, waiting.file->path(), options_, context);
      waiting.item = std::make_unique<Item>(
          item ? std::move(*item)
               : unreadable_item(waiting.file->path(), waiting.file->info.size, item.error()));
    }
    // An empty file that nobody named is not an alarm: programs leave such markers.
    for (Finding& finding : waiting.item->findings)
      if (finding.code == Code::empty_file) finding.level = Level::warn;
  }

  Session& session_;
  RomFolders& folders_;
  const LookOptions& options_;
  FileContext context_;
  const std::function<void(const Item&)>& sink_;
  bool in_archive_;  // archives in archives are not opened
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
          files, [](const WalkedFile& file) { return is_second_file_name(file.name()); });
    else
      for (const FoundFolder& found : find_folders(*session.storage, path, files))
        titles.insert(found.path.string());
  });
  std::error_code ignored;
  Bay here;
  here.place = (std::filesystem::absolute(path / "", ignored).lexically_normal()).parent_path();
  here.shelves =
      find_title_trees(path, files, session.catalog,
                       [&](const Path& folder) { return title_above(titles, folder).has_value(); },
                       {})
          .shelves;
  const std::vector<Bay> trees{std::move(here)};
  EarlyLooks early(session, folders, options, files, companions);
  folders.know_below(
      path, RomIndex::of(*session.storage, files, session.catalog,
                         [&](std::size_t i, const FileView& view) { early.look(i, view); }));
  const RomIndex& roms = folders.below(path);
  std::optional<Path> whole;  // a folder that is one save
  Path inside;
  Path entered;
  const Neighbours neighbours = Neighbours::of(files, roms);
  FileBatch batch(session, folders, options, {&roms, nullptr, nullptr, &neighbours, companions},
                  sink, path.native().ends_with(':'));
  const AccountsInUse accounts(session.bays.bays(), {titles.begin(), titles.end()});
  const auto show_whole = [&](const Path& folder) {
    auto save = folder_save(session, folder, options, trees);
    if (!save) return false;
    whole = folder;
    if (auto not_seen = accounts.not_seen(folder.string()))
      save->findings.push_back(std::move(*not_seen));
    batch.finish();
    sink(*save);
    return true;
  };
  for (std::size_t i = 0; i < files.size(); ++i) {
    if (auto on = session.proceed(Work::files, i, files.size()); !on) return on;
    const WalkedFile& file = files[i];
    if (file.folder() != inside.native()) inside = file.folder();
    if (whole && lies_in(*whole, inside)) continue;
    if (const auto title = title_above(titles, inside); title && show_whole(*title)) continue;
    if (inside.native() != entered.native()) {
      entered = inside;
      whole.reset();
      if (show_whole(inside)) continue;
    }
    batch.add(file, early.take(i, roms, neighbours));
  }
  batch.finish();
  return {};
}

}  // namespace

bool is_folder_save(Session& session, const Path& folder, const LookOptions& options) {
  LookOptions quick = options;
  quick.hashes = false;
  return folder_save(session, folder, quick, {}).has_value();
}

Result<void> look(Session& session, const Path& path, const LookOptions& options,
                  const std::function<void(const Item&)>& sink) {
  auto info = session.storage->info(path);
  if (!info) return tl::unexpected(info.error());
  // A link to a folder is followed: the user named it.
  const bool folder = info->type != FileType::file && session.storage->list(path).has_value();
  if (!folder) {
    const bool slot = has_state_name(path.filename().string());  // states are zips, too
    if (!slot && is_archive_file(session, path)) {
      const auto packed = archive_item(session, path, options);
      if (!packed) return tl::unexpected(packed.error());
      sink(*packed);
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
  std::vector<Bay> trees;
  if (auto tree = tree_around(*session.storage, path, session.catalog))
    trees.push_back(std::move(*tree));
  if (auto save = folder_save(session, path, options, trees)) {
    sink(*save);
    return {};
  }
  return look_through(session, path, options, sink);
}

}  // namespace bayswap
