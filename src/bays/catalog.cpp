#include "bayswap/catalog.h"

#include <fmt/format.h>

#include "bays/toml_file.h"
#include "bayswap/card.h"
#include "bayswap/layout.h"
#include "bytes/text.h"

namespace bayswap {
namespace {

constexpr const char* kCode = "bad-catalog";

Result<std::map<Region, std::string>> read_regions(const toml::node& node,
                                                   const std::string& file) {
  std::map<Region, std::string> values;
  const toml::table* table = node.as_table();
  if (table == nullptr) return toml_error(node, file, kCode, "expected a table of regions");
  for (const auto& [key, value] : *table) {
    const auto region = parse_region(key.str());
    if (!region || !value.is_string())
      return toml_error(value, file, kCode,
                        "expected a region (america, europe, japan, korea, other, any) and a text");
    values[*region] = **value.as_string();
  }
  return values;
}

Result<CatalogGame> read_game(const toml::table& table, const std::string& file) {
  CatalogGame game;
  const toml::node* title = table.get("title");
  const toml::node* system = table.get("system");
  if (title == nullptr || !title->is_string() || system == nullptr || !system->is_string())
    return toml_error(table, file, kCode, "a game needs a title and a system");
  game.title = **title->as_string();
  const auto parsed = parse_system(**system->as_string());
  if (!parsed) return toml_error(*system, file, kCode, "there is no such system");
  game.system = *parsed;
  if (const toml::node* chip = table.get("chip")) {
    if (!chip->is_string()) return toml_error(*chip, file, kCode, "chip must be a text");
    game.chip = **chip->as_string();
    if (!game.chips())
      return toml_error(*chip, file, kCode,
                        fmt::format("there is no chip '{}' for {}", safe_text(game.chip),
                                    to_string(game.system)));
  }
  if (const toml::node* codes = table.get("codes")) {
    auto read = read_regions(*codes, file);
    if (!read) return tl::unexpected(read.error());
    game.codes = std::move(*read);
  }
  if (const toml::node* ids = table.get("title_ids")) {
    auto read = read_regions(*ids, file);
    if (!read) return tl::unexpected(read.error());
    game.title_ids = std::move(*read);
  }
  if (const toml::array* companions = table["companion"].as_array())
    for (const toml::node& companion : *companions)
      if (const toml::table* entry = companion.as_table())
        if (const auto* path = entry->get_as<std::string>("path"))
          game.companions.push_back(**path);
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
  if (is_missing(storage, file)) return Catalog{};
  const auto view = storage.view(file, 1ULL << 26U);
  if (!view) return tl::unexpected(view.error());
  const ByteView bytes = view->bytes();
  return parse({reinterpret_cast<const char*>(bytes.data()), bytes.size()}, file.string());
}

Result<Catalog> Catalog::parse(std::string_view toml, const std::string& name) {
  const auto table = parse_toml(toml, name, kCode);
  if (!table) return tl::unexpected(table.error());
  Catalog catalog;
  const toml::node* games = table->get("game");
  if (games == nullptr) return catalog;
  if (!games->is_array_of_tables())
    return toml_error(*games, name, kCode, "games are written as [[game]]");
  for (const toml::node& entry : *games->as_array()) {
    auto game = read_game(*entry.as_table(), name);
    if (!game) return tl::unexpected(game.error());
    catalog.games_.push_back(std::move(*game));
  }
  return catalog;
}

const CatalogGame* Catalog::find(const RomInfo& rom) const {
  if (!rom.shared_code)
    if (const CatalogGame* known = find_code(rom.system, rom.game.code)) return known;
  return find(rom.system, rom.game.title);
}

const CatalogGame* Catalog::find_code(System system, std::string_view code) const {
  if (code.empty()) return nullptr;
  // Serials are written with and without their hyphen.
  const auto plain = [](std::string_view text) {
    std::string bare;
    for (const char c : text)
      if (c != '-') bare.push_back(c);
    return bare;
  };
  for (const CatalogGame& game : games_) {
    if (game.system != system) continue;
    for (const auto& [region, known] : game.codes)
      if (plain(known) == plain(code)) return &game;
    for (const auto& [region, id] : game.title_ids)
      if (lower_ascii(id) == code) return &game;
  }
  return nullptr;
}

const CatalogGame* Catalog::find(System system, std::string_view title) const {
  const std::string plain = plain_title(title);
  if (plain.empty()) return nullptr;
  for (const CatalogGame& game : games_)
    if (game.system == system && plain_title(game.title) == plain) return &game;
  return nullptr;
}

}  // namespace bayswap
