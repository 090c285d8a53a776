#include "reading/bay_scan.h"

#include <algorithm>
#include <set>

#include "bayswap/folder.h"

namespace bayswap {

void BayScan::walk() {
  if (files_) return;
  unreadable_.clear();
  files_ = files_below(*session_.storage, bay_.place, true, &unreadable_);
}

const std::vector<WalkedFile>& BayScan::files() {
  walk();
  return *files_;
}

const std::vector<Error>& BayScan::unreadable() {
  walk();
  return unreadable_;
}

const std::vector<FoundFolder>& BayScan::folder_saves() {
  if (!folder_saves_) folder_saves_ = find_folders(*session_.storage, bay_.place, files());
  return *folder_saves_;
}

BayScan::ShelfContents& BayScan::contents_of(const Shelf& shelf) {
  const auto [entry, fresh] = shelves_.try_emplace(&shelf);
  if (fresh)
    if (auto pattern = NamingPattern::parse(shelf.pattern))
      entry->second.pattern = std::move(*pattern);
  return entry->second;
}

const std::vector<BayScan::OnShelf>& BayScan::files_on(const Shelf& shelf) {
  ShelfContents& contents = contents_of(shelf);
  if (contents.files) return *contents.files;
  contents.files.emplace();
  if (!contents.pattern) return *contents.files;
  for (const WalkedFile& file : files())
    if (auto fields = contents.pattern->match(below(bay_.place, file.path())))
      contents.files->push_back({file.path(), file.info, std::move(*fields)});
  return *contents.files;
}

const std::vector<BayScan::OnShelf>& BayScan::folders_on(const Shelf& shelf) {
  ShelfContents& contents = contents_of(shelf);
  if (contents.folders) return *contents.folders;
  contents.folders.emplace();
  const FolderLayout* layout =
      shelf.layout.empty() ? nullptr : as_folder(layouts().find(shelf.layout.front()));
  if (!contents.pattern || layout == nullptr) return *contents.folders;
  std::set<Path> seen;
  for (const WalkedFile& file : files())
    for (Path at = file.folder(); at != bay_.place && at != at.parent_path();
         at = at.parent_path()) {
      if (!seen.insert(at).second) break;
      auto fields = contents.pattern->match(below(bay_.place, at));
      if (!fields) continue;
      const auto place = layout->place(at.string());
      if (!place || !place->shared) contents.folders->push_back({at, {}, std::move(*fields)});
    }
  return *contents.folders;
}

std::vector<BayScan::OnTree> BayScan::tree_saves(const Shelf& shelf) {
  std::vector<OnTree> saves;
  for (const OnShelf& there : folders_on(shelf))
    saves.push_back(
        {there.path, there.fields, title_on_tree(bay_, shelf, there.fields, session_.catalog)});
  const auto is_told = [&](const OnTree& save) { return save.title.is_told(session_.catalog); };
  if (std::ranges::any_of(saves, is_told))
    std::erase_if(saves, [&](const OnTree& save) { return !is_told(save); });
  return saves;
}

TitleStyle BayScan::titles_on(const Shelf& shelf) {
  ShelfContents& contents = contents_of(shelf);
  if (!contents.titles) {
    std::vector<std::string> titles;
    for (const OnShelf& there : files_on(shelf))
      if (const auto title = there.fields.find("title"); title != there.fields.end())
        titles.push_back(title->second);
    contents.titles = title_style_of(titles, roms_of(shelf), session_.catalog);
  }
  return *contents.titles;
}

std::vector<const RomFile*> BayScan::roms_for(std::optional<System> system) {
  std::vector<const RomFile*> roms;
  std::set<Path> seen;
  for (const Shelf& shelf : bay_.shelves) {
    const bool has_roms = shelf.kind == Kind::battery || shelf.kind == Kind::state;
    if (!has_roms || (system && shelf.system != *system)) continue;
    for (const RomFile* rom : roms_of(shelf).roms())
      if (rom->info.system == shelf.system && seen.insert(rom->path).second) roms.push_back(rom);
  }
  return roms;
}

Result<std::shared_ptr<const Bytes>> BayScan::content_of(const Path& file) {
  if (const auto put = put_.find(file); put != put_.end()) return put->second;
  auto bytes = session_.storage->read(file, session_.limits.largest_file);
  if (!bytes) return tl::unexpected(bytes.error());
  return std::make_shared<const Bytes>(std::move(*bytes));
}

const ScannedCard* BayScan::card_in(const Shelf& shelf, const Path& file) {
  const auto [entry, fresh] = cards_.try_emplace({&shelf, file});
  std::optional<ScannedCard>& scanned = entry->second;
  if (!fresh) return scanned ? &*scanned : nullptr;
  const auto bytes = content_of(file);
  if (!bytes) return nullptr;
  for (const Guess& guess : identify(**bytes, {})) {
    const CardLayout* layout = as_card(guess.layout);
    if (layout == nullptr || guess.confidence == Confidence::possible ||
        std::ranges::find(shelf.layout, layout->info().id) == shelf.layout.end())
      continue;
    if (auto card = layout->open(**bytes)) scanned = ScannedCard{layout, *bytes, std::move(*card)};
    break;
  }
  return scanned ? &*scanned : nullptr;
}

const StateMaker* BayScan::state_maker_of(const Path& file) {
  const auto [entry, fresh] = makers_.try_emplace(file);
  std::optional<StateMaker>& maker = entry->second;
  if (fresh)
    if (const auto bytes = content_of(file))
      if (auto state = read_state(**bytes, file.string())) maker = std::move(state->maker);
  return maker ? &*maker : nullptr;
}

void BayScan::put(const Path& file, std::optional<Bytes> content) {
  if (content) put_[file] = std::make_shared<const Bytes>(std::move(*content));
  std::erase_if(cards_, [&](const auto& card) { return card.first.second == file; });
  makers_.erase(file);
  walk();
  const auto at = std::ranges::lower_bound(*files_, file, {}, &WalkedFile::path);
  if (at == files_->end() || at->path() != file) {
    FileInfo info;
    info.type = FileType::file;
    files_->insert(at, WalkedFile(std::make_shared<const std::string>(file.parent_path().native()),
                                  file.filename().native(), info));
  }
  // Cheap to find again: the patterns are parsed, and nothing is read.
  for (auto& [shelf, contents] : shelves_) contents.files = contents.folders = std::nullopt;
  folder_saves_.reset();
}

}  // namespace bayswap
