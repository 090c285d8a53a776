#include "bayswap/catalog.h"

#include <fmt/core.h>

#include "bayswap/card.h"
#include "bayswap/layout.h"
#include "core/bytes/text.h"
#include "core/bytes/toml_file.h"

namespace bayswap {
namespace {

Result<std::map<Region, std::string>> read_regions(const TomlValue& node, const std::string& file) {
  std::map<Region, std::string> values;
  if (!node.is_table())
    return toml_error(node, file, Code::bad_catalog, "expected a table of regions");
  for (std::size_t i = 0; i < node.items.size(); ++i) {
    const TomlValue& value = node.items[i];
    const auto region = parse_region(node.keys[i]);
    if (!region || !value.is_text())
      return toml_error(value, file, Code::bad_catalog,
                        "expected a region (america, europe, japan, korea, other, any) and a text");
    values[*region] = value.text;
  }
  return values;
}

// Serials are written with and without their hyphen, ids in either case.
std::string code_key(System system, std::string_view code) {
  std::string key = fmt::format("{}:", to_string(system));
  for (const char c : lower_ascii(code))
    if (c != '-') key.push_back(c);
  return key;
}

std::string title_key(System system, std::string_view title) {
  return fmt::format("{}:{}", to_string(system), plain_title(title));
}

bool is_hex_of(std::string_view text, std::size_t length) {
  return text.size() == length && text.find_first_not_of("0123456789abcdef") == text.npos;
}

Result<CatalogDump> read_dump(const TomlValue& table, const std::string& file) {
  CatalogDump dump;
  if (const std::string* name = table.text_at("name")) dump.name = *name;
  if (const std::string* region = table.text_at("region"))
    dump.region = parse_region(*region).value_or(Region::unknown);
  if (const TomlValue* size = table.get("size"); size != nullptr && size->integer > 0)
    dump.size = static_cast<std::uint64_t>(size->integer);
  if (const std::string* hash = table.text_at("crc32")) dump.crc32 = lower_ascii(*hash);
  if (const std::string* hash = table.text_at("sha1")) dump.sha1 = lower_ascii(*hash);
  if ((!dump.crc32.empty() && !is_hex_of(dump.crc32, 8)) ||
      (!dump.sha1.empty() && !is_hex_of(dump.sha1, 40)))
    return toml_error(table, file, Code::bad_catalog, "crc32 has 8 hex digits, sha1 has 40");
  return dump;
}

Result<CatalogGame> read_game(const TomlValue& table, const std::string& file) {
  CatalogGame game;
  const TomlValue* title = table.get("title");
  const TomlValue* system = table.get("system");
  if (title == nullptr || !title->is_text() || system == nullptr || !system->is_text())
    return toml_error(table, file, Code::bad_catalog, "a game needs a title and a system");
  game.title = title->text;
  const auto parsed = parse_system(system->text);
  if (!parsed) return toml_error(*system, file, Code::bad_catalog, "there is no such system");
  game.system = *parsed;
  if (const TomlValue* chip = table.get("chip")) {
    if (!chip->is_text()) return toml_error(*chip, file, Code::bad_catalog, "chip must be a text");
    game.chip = chip->text;
    if (!game.chips())
      return toml_error(*chip, file, Code::bad_catalog,
                        fmt::format("there is no chip '{}' for {}", safe_text(game.chip),
                                    to_string(game.system)));
  }
  if (const TomlValue* codes = table.get("codes")) {
    auto read = read_regions(*codes, file);
    if (!read) return tl::unexpected(read.error());
    game.codes = std::move(*read);
  }
  if (const TomlValue* ids = table.get("title_ids")) {
    auto read = read_regions(*ids, file);
    if (!read) return tl::unexpected(read.error());
    game.title_ids = std::move(*read);
  }
  if (const TomlValue* companions = table.get("companion"))
    for (const TomlValue& entry : companions->items)
      if (const std::string* path = entry.text_at("path")) game.companions.push_back(*path);
  if (const TomlValue* dumps = table.get("dump"))
    for (const TomlValue& entry : dumps->items) {
      if (!entry.is_table())
        return toml_error(entry, file, Code::bad_catalog, "dumps are [[game.dump]]");
      auto dump = read_dump(entry, file);
      if (!dump) return tl::unexpected(dump.error());
      game.dumps.push_back(std::move(*dump));
    }
  return game;
}

}  // namespace

std::optional<std::vector<Chip>> CatalogGame::chips() const {
  if (chip.empty()) return std::nullopt;
  if (chip == "none") return std::vector<Chip>{};
  const std::string wanted = fmt::format("{}-{}", to_string(system), chip);
  for (const auto& layout : layouts().all()) {
    const LayoutInfo& info = layout->info();
    if (!holds_chips(*layout)) continue;
    // `eeprom` alone means either size; the chip's name then comes without a capacity.
    if (info.id == wanted) return std::vector<Chip>{{info.parts.front(), info.file_sizes.front()}};
    if (info.system == system && info.parts.front() == chip) return std::vector<Chip>{{chip, 0}};
  }
  return std::nullopt;
}

Result<Catalog> Catalog::load(Storage& storage, const Path& file) {
  std::vector<Path> files{file};
  const Path lists = Path(file).replace_extension();
  if (const auto names = storage.list(lists))
    for (const std::string& name : *names)
      if (name.ends_with(".toml")) files.push_back(lists / name);
  Catalog catalog;
  for (const Path& part : files) {
    if (is_missing(storage, part)) continue;
    const auto view = storage.view(part, 1ULL << 28U);
    if (!view) return tl::unexpected(view.error());
    const ByteView bytes = view->bytes();
    auto read = parse({reinterpret_cast<const char*>(bytes.data()), bytes.size()}, part.string());
    if (!read) return tl::unexpected(read.error());
    if (catalog.games_.empty())
      catalog = std::move(*read);
    else
      for (CatalogGame& game : read->games_) catalog.add(std::move(game));
  }
  return catalog;
}

Result<Catalog> Catalog::parse(std::string_view toml, const std::string& name) {
  const auto table = parse_toml(toml, name, Code::bad_catalog);
  if (!table) return tl::unexpected(table.error());
  Catalog catalog;
  const TomlValue* games = table->get("game");
  if (games == nullptr) return catalog;
  if (!games->is_list_of_tables())
    return toml_error(*games, name, Code::bad_catalog, "games are written as [[game]]");
  for (const TomlValue& entry : games->items) {
    auto game = read_game(entry, name);
    if (!game) return tl::unexpected(game.error());
    catalog.add(std::move(*game));
  }
  return catalog;
}

void Catalog::add(CatalogGame game) {
  const std::size_t place = games_.size();
  const auto keep = [&](auto& table, const std::string& key) {
    if (!key.empty()) table.try_emplace(key, place);
  };
  for (const auto& [region, code] : game.codes) keep(by_code_, code_key(game.system, code));
  for (const auto& [region, id] : game.title_ids) keep(by_code_, code_key(game.system, id));
  keep(by_title_, title_key(game.system, game.title));
  for (const CatalogDump& dump : game.dumps) {
    if (!dump.crc32.empty()) by_crc32_[dump.crc32].push_back(place);
    keep(by_sha1_, dump.sha1);
    if (dump.size != 0 && !(dump.crc32.empty() && dump.sha1.empty())) sizes_.insert(dump.size);
  }
  games_.push_back(std::move(game));
}

const CatalogGame* Catalog::find(const RomInfo& rom) const {
  if (const CatalogGame* known = find_hash(rom.crc32, rom.sha1)) return known;
  if (!rom.shared_code)
    if (const CatalogGame* known = find_code(rom.system, rom.game.code)) return known;
  return find(rom.system, rom.game.title);
}

const CatalogGame* Catalog::find_code(System system, std::string_view code) const {
  const auto found = by_code_.find(code_key(system, code));
  return found == by_code_.end() || code.empty() ? nullptr : &games_[found->second];
}

const CatalogGame* Catalog::find(System system, std::string_view title) const {
  const auto found = by_title_.find(title_key(system, title));
  return found == by_title_.end() || plain_title(title).empty() ? nullptr : &games_[found->second];
}

const CatalogGame* Catalog::find_hash(std::string_view crc32, std::string_view sha1) const {
  if (const auto found = by_sha1_.find(std::string(sha1)); found != by_sha1_.end())
    return &games_[found->second];
  const auto found = by_crc32_.find(std::string(crc32));
  if (found == by_crc32_.end()) return nullptr;
  // Short hashes meet by chance: where the list has the long one as well, that one decides.
  for (const std::size_t place : found->second)
    for (const CatalogDump& dump : games_[place].dumps)
      if (dump.crc32 == crc32 && (dump.sha1.empty() || sha1.empty())) return &games_[place];
  return nullptr;
}

}  // namespace bayswap
