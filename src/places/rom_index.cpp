#include "places/rom_index.h"

#include <fmt/core.h>

#include <algorithm>
#include <atomic>
#include <deque>
#include <functional>
#include <map>
#include <mutex>
#include <unordered_map>
#include <utility>

#include "core/bytes/hash.h"
#include "core/bytes/text.h"
#include "core/layouts/titles/path_text.h"
#include "core/naming/tags.h"
#include "core/packing/archive.h"
#include "files/archive_storage.h"
#include "files/atomic_write.h"
#include "files/two_threads.h"
#include "places/headerless_roms.h"

namespace bayswap {

std::string stem_of(const Path& path) {
  std::string name = inner_name(path);
  const std::size_t dot = name.rfind('.');
  if (dot != std::string::npos && dot > 0 && name != "..") name.resize(dot);
  return name;
}

namespace {

// What the catalog knows a file by; a file without a header that is known is a ROM all the same.
void add_hashes(ByteView bytes, const Catalog& catalog, std::optional<RomInfo>& rom) {
  if (!catalog.has_dump_of(bytes.size()) || (rom && catalog.find(*rom) != nullptr)) return;
  const std::string crc = crc32_hex(bytes);
  const std::string sha = hex_text(sha1(bytes));
  const CatalogGame* known = catalog.find_hash(crc, sha);
  if (known == nullptr || (rom && rom->system != known->system)) return;
  if (!rom) {
    rom.emplace();
    rom->system = known->system;
    rom->game.title = known->title;
  }
  rom->crc32 = crc;
  rom->sha1 = sha;
  for (const CatalogDump& dump : known->dumps) {
    if (dump.sha1 != sha && dump.crc32 != crc) continue;
    if (rom->game.region == Region::unknown) rom->game.region = dump.region;
    const auto code = known->codes.find(dump.region);
    if (rom->game.code.empty() && code != known->codes.end()) rom->game.code = code->second;
  }
}

constexpr std::uint64_t kSmall = 0x7FC0;  // bytes; headers further inside belong to larger ROMs

// The bytes that tell the ROM in a file: all of a small one, the part that holds headers of a large
// one. Where the header alone tells, it is in `rom`, and there are no bytes.
Result<std::optional<FileView>> view_of_rom(Storage& storage, const Path& path,
                                            const FileInfo& info, const Catalog& catalog,
                                            std::optional<RomInfo>& rom) {
  constexpr std::size_t kFirstHeaders = 0x200;
  constexpr std::size_t kHeaders = 0x10400;
  constexpr std::uint64_t kLastHeader = 0x410400;  // of the largest snes ROMs
  constexpr std::uint64_t kLargestCartridge = 64U << 20U;
  const std::size_t piece = info.size < kSmall ? kFirstHeaders : kHeaders;
  const bool hashed = catalog.has_dump_of(info.size) && info.size <= kSaveLimit;
  if (info.size <= piece || hashed) return storage.view_if(path, info, 0, {});
  bool deeper = false;
  auto seen = storage.view_if(path, info, piece, [&](ByteView start) {
    rom = read_rom(start, info.size);
    deeper = !rom && info.size >= kLastHeader;
    // The name of a gba ROM's chip stands anywhere in it.
    return info.size <= kLargestCartridge && (rom ? rom->system == System::gba : is_zip(start));
  });
  if (!seen || *seen || !deeper) return seen;
  auto headers = storage.view_start(path, kLastHeader);
  if (!headers) return tl::unexpected(headers.error());
  rom = read_rom(headers->bytes(), info.size);
  return std::optional<FileView>{};
}

// The ROM in a file. Of small files the whole content, too.
std::optional<RomFile> rom_of(Storage& storage, const Path& path, const FileInfo& info,
                              const Catalog& catalog, FileView* whole) {
  constexpr std::uint64_t kLeastRom = 0x40;
  if (info.type != FileType::file || info.size < kLeastRom) return std::nullopt;
  std::optional<RomInfo> rom;
  auto view = whole != nullptr && info.size < kSmall
                  ? storage.view_if(path, info, 0, {})
                  : view_of_rom(storage, path, info, catalog, rom);
  if (!view) return std::nullopt;
  if (!*view)
    return rom ? std::optional(RomFile{path, stem_of(path), std::move(*rom)}) : std::nullopt;
  const ByteView bytes = (*view)->bytes();
  rom = read_rom(bytes);
  if (!rom && is_zip(bytes))
    visit_zip(bytes, {}, [&](const std::string&, ByteView inner, std::uint64_t size) {
      rom = read_rom(inner, size);
      return rom.has_value();
    });
  add_hashes(bytes, catalog, rom);
  if (rom) return RomFile{path, stem_of(path), std::move(*rom)};
  if (whole != nullptr && info.size < kSmall) *whole = std::move(**view);
  return std::nullopt;
}

}  // namespace

std::optional<RomFile> read_rom_file(Storage& storage, const Path& path, const Catalog& catalog) {
  const auto info = storage.info(path);
  return info ? read_rom_file(storage, path, *info, catalog) : std::nullopt;
}

std::optional<RomFile> read_rom_file(Storage& storage, const Path& path, const FileInfo& info,
                                     const Catalog& catalog) {
  return rom_of(storage, path, info, catalog, nullptr);
}

// ROMs, and where they are found by their names, titles and folders.
struct RomIndex::Known {
  using Places = std::vector<std::size_t>;
  std::deque<RomFile> roms;  // they stay where they are when more come
  std::unordered_map<std::string, Places> by_stem;
  std::unordered_map<std::string, Places> by_title;
  std::map<std::string, Places, std::less<>> by_folder;
  struct Hashed {
    std::unordered_map<const RomFile*, RomHashes> of;
    std::unordered_map<std::string, Places> by_hash;
  };
  std::mutex hashing;
  std::unique_ptr<const Hashed> hashed;  // once asked for; not of ROMs that were added since

  void note_place(std::size_t at) {
    const RomFile& rom = roms[at];
    by_stem[rom.stem].push_back(at);
    const std::string_view folder = folder_text(rom.path);
    auto inside = by_folder.find(folder);
    if (inside == by_folder.end()) inside = by_folder.try_emplace(std::string(folder)).first;
    inside->second.push_back(at);
  }
  const Hashed& hash_all(Storage& storage) {
    const std::scoped_lock lock(hashing);
    if (hashed) return *hashed;
    std::vector<RomHashes> each(roms.size());
    on_two_threads(roms.size(),
                   [&](std::size_t at) { each[at] = read_rom_hashes(storage, roms[at].path); });
    auto found = std::make_unique<Hashed>();
    for (std::size_t at = 0; at < each.size(); ++at) {
      for (const std::string* hash : {&each[at].crc32, &each[at].md5, &each[at].sha1})
        if (!hash->empty()) found->by_hash[*hash].push_back(at);
      found->of.emplace(&roms[at], std::move(each[at]));
    }
    hashed = std::move(found);
    return *hashed;
  }
  void note_titles(std::size_t at) {
    const RomFile& rom = roms[at];
    const std::string by_name = plain_title(rom.stem);
    const std::string by_header = plain_title(rom.info.game.title);
    if (!by_name.empty()) by_title[by_name].push_back(at);
    if (!by_header.empty() && by_header != by_name) by_title[by_header].push_back(at);
  }
};

RomIndex RomIndex::scan(Storage& storage, const Path& folder, bool below, const Catalog& catalog) {
  return of(storage, files_below(storage, folder, below), catalog);
}

RomIndex RomIndex::of(Storage& storage, const std::vector<WalkedFile>& files,
                      const Catalog& catalog, const NoRom& others) {
  std::mutex finding;
  std::deque<RomFile> found;
  std::vector<std::pair<std::size_t, RomFile*>> order;
  std::atomic<bool> hand_on = others != nullptr;
  on_two_threads(files.size(), [&](std::size_t i) {
    FileView whole;
    auto rom = rom_of(storage, files[i].path(), files[i].info, catalog, hand_on ? &whole : nullptr);
    if (!rom) {
      if (!whole.bytes().empty()) others(i, std::move(whole));
      return;
    }
    hand_on = false;
    const std::scoped_lock lock(finding);
    order.emplace_back(i, &found.emplace_back(std::move(*rom)));
  });
  std::vector<bool> has_header(files.size());
  for (const auto& [place, rom] : order) has_header[place] = true;
  for (const auto& [place, system] : headerless_roms(storage, files, has_header)) {
    RomFile rom{files[place].path(), stem_of(files[place].name()), {}};
    rom.info.system = system;
    rom.info.has_header = false;
    if (system == System::a2600) rom.info.chips = std::vector<Chip>{};  // nothing is kept
    order.emplace_back(place, &found.emplace_back(std::move(rom)));
  }
  std::ranges::sort(order);
  RomIndex index;
  index.known_ = std::make_shared<Known>();
  Known& known = *index.known_;
  index.roms_.reserve(order.size());
  for (const auto& [place, rom] : order)
    index.roms_.push_back(&known.roms.emplace_back(std::move(*rom)));
  on_two_threads(2, [&](std::size_t half) {
    for (std::size_t at = 0; at < known.roms.size(); ++at)
      half == 0 ? known.note_place(at) : known.note_titles(at);
  });
  return index;
}

RomIndex RomIndex::in(const Path& folder) const {
  if (!known_) return {};
  RomIndex index;
  index.known_ = known_;
  index.folder_ = folder_ && text_lies_in(folder.native(), *folder_) ? *folder_ : folder.native();
  Known::Places places;
  for (const auto& [place, roms] : known_->by_folder)
    if (text_lies_in(*index.folder_, place)) places.insert(places.end(), roms.begin(), roms.end());
  std::ranges::sort(places);
  for (const std::size_t at : places)
    if (holds(known_->roms[at])) index.roms_.push_back(&known_->roms[at]);
  return index.roms_.empty() ? RomIndex{} : index;
}

void RomIndex::add(RomFile rom) {
  if (!known_ || known_.use_count() > 1) {
    // Those who share the ROMs do not get this one.
    const std::shared_ptr<Known> before = std::exchange(known_, std::make_shared<Known>());
    folder_.reset();
    for (const RomFile* own : std::exchange(roms_, {})) add(*own);
  }
  roms_.push_back(&known_->roms.emplace_back(std::move(rom)));
  known_->note_place(known_->roms.size() - 1);
  known_->note_titles(known_->roms.size() - 1);
  known_->hashed.reset();
}

bool RomIndex::holds(const RomFile& rom) const {
  return !folder_ || text_lies_in(*folder_, folder_text(rom.path));
}

bool RomIndex::has_stem(std::string_view stem) const {
  if (!known_) return false;
  const auto same_stem = known_->by_stem.find(std::string(stem));
  return same_stem != known_->by_stem.end() &&
         std::ranges::any_of(same_stem->second,
                             [&](std::size_t at) { return holds(known_->roms[at]); });
}

const RomFile* RomIndex::at(const Path& path) const {
  if (roms_.empty()) return nullptr;
  const auto same_stem = known_->by_stem.find(stem_of(path));
  if (same_stem == known_->by_stem.end()) return nullptr;
  for (const std::size_t place : same_stem->second) {
    const RomFile& rom = known_->roms[place];
    if (rom.path.native() == path.native() && holds(rom)) return &rom;
  }
  return nullptr;
}

std::vector<const RomFile*> RomIndex::matching(std::string_view stem,
                                               std::optional<System> system) const {
  std::vector<const RomFile*> found;
  if (roms_.empty()) return found;
  const auto collect = [&](const auto& table, const std::string& key) {
    const auto entry = table.find(key);
    if (entry == table.end()) return;
    for (const std::size_t at : entry->second) {
      const RomFile& rom = known_->roms[at];
      if ((!system || rom.info.system == *system) && tags_agree(stem, rom.stem) && holds(rom))
        found.push_back(&rom);
    }
  };
  collect(known_->by_stem, std::string(stem));
  if (!found.empty()) return found;
  collect(known_->by_title, plain_title(stem));
  return closest_in_name(std::move(found), std::string(stem));
}

std::vector<const RomFile*> closest_in_name(std::vector<const RomFile*> roms,
                                            const std::string& name) {
  unsigned most = 0;
  if (roms.size() < 2) return roms;
  for (const RomFile* rom : roms) most = std::max(most, name_closeness(name, rom->stem));
  std::erase_if(roms, [&](const RomFile* rom) { return name_closeness(name, rom->stem) < most; });
  return roms;
}

const RomHashes& RomIndex::hashes_of(Storage& storage, const RomFile& rom) const {
  static const RomHashes kNone;
  if (!known_) return kNone;
  const auto& hashes = known_->hash_all(storage).of;
  const auto found = hashes.find(&rom);
  return found == hashes.end() ? kNone : found->second;
}

std::vector<const RomFile*> RomIndex::hashed_as(Storage& storage, std::string_view hash) const {
  std::vector<const RomFile*> found;
  if (!known_) return found;
  const auto& by_hash = known_->hash_all(storage).by_hash;
  const auto places = by_hash.find(std::string(hash));
  if (places == by_hash.end()) return found;
  for (const std::size_t at : places->second)
    if (const RomFile& rom = known_->roms[at]; holds(rom)) found.push_back(&rom);
  return found;
}

std::size_t nearness(const RomFile& rom, const std::vector<std::string>& names) {
  const auto named = [&](const std::string& name) {
    return std::ranges::find(names, name) != names.end();
  };
  const std::vector<std::string> folders = names_in(folder_text(rom.path));
  const std::string system(to_string(rom.info.system));
  return static_cast<std::size_t>(std::ranges::count_if(folders, named)) +
         (named(system) || named(upper_ascii(system)) ? 1 : 0);
}

Hints hints_of(const RomInfo& rom, const Catalog& catalog) {
  Hints hints;
  hints.system = rom.system;
  if (rom.chips) {
    hints.chips = rom.chips;
    hints.chips_from_header = true;
  } else if (const CatalogGame* game = catalog.find(rom)) {
    hints.chips = game->chips();
  }
  if (!rom.game.title.empty()) hints.words.push_back(rom.game.title);
  if (!rom.game.code.empty() && !rom.shared_code) hints.words.push_back(rom.game.code);
  return hints;
}

Game game_of(const RomFile& rom, const Catalog& catalog) {
  Game game = rom.info.game;
  if (const CatalogGame* known = catalog.find(rom.info)) {
    game.title = known->title;
    return game;
  }
  const std::string name = untagged_name(rom.stem);
  if (game.title.empty() || titles_agree(name, game.title)) game.title = safe_text(name);
  return game;
}

bool titles_agree(std::string_view full, std::string_view header) {
  const std::string a = plain_title(full);
  const std::string b = plain_title(header);
  // Headers hold 11 characters or more, so a shorter title was not cut.
  constexpr std::size_t kShortestField = 11;
  return !b.empty() && (a == b || (b.size() >= kShortestField - 1 && a.starts_with(b)));
}

}  // namespace bayswap
