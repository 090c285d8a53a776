#include "places/name_fields.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>

#include "core/bytes/text.h"
#include "core/naming/tags.h"
#include "files/atomic_write.h"
#include "places/path_words.h"
#include "places/walk.h"

namespace bayswap {
std::string people_title(const RomFile& rom, const Catalog& catalog) {
  if (const CatalogGame* known = catalog.find(rom.info)) return known->title;
  return untagged_name(rom.stem);
}

Fields fields_of_rom(const RomFile& rom, const Catalog& catalog, TitleStyle style) {
  Fields fields{{"stem", rom.stem}};
  const auto put = [&](const char* name, const std::string& value) {
    if (!value.empty()) fields.emplace(name, value);
  };
  const Game& game = rom.info.game;
  put("title", style == TitleStyle::header ? game.title : people_title(rom, catalog));
  put("code", game.code);
  put("serial", game.serial);
  put("maker", game.maker);
  put("region", std::string(to_string(game.region)));
  return fields;
}

namespace {

constexpr std::array<std::pair<const char*, std::string RomHashes::*>, 3> kHashFields{{
    {"crc32", &RomHashes::crc32},
    {"md5", &RomHashes::md5},
    {"sha1", &RomHashes::sha1},
}};

}  // namespace

void add_folder_field(const RomFile& rom, const Path& roms, Fields& fields) {
  const std::string folder(folder_text(rom.path));
  const std::string base = roms.lexically_normal().native();
  if (folder != base && text_lies_in(base, folder))
    fields.insert_or_assign("folder", text_below(base, folder));
}

void add_hash_fields(Storage& storage, const RomFile& rom, const NamingPattern& pattern,
                     Fields& fields) {
  const auto wanted = [&](const auto& field) { return pattern.uses(field.first); };
  if (std::ranges::none_of(kHashFields, wanted)) return;
  const RomHashes hashes = read_rom_hashes(storage, rom.path);
  for (const auto& [name, hash] : kHashFields)
    if (!(hashes.*hash).empty()) fields.insert_or_assign(name, hashes.*hash);
}

namespace {

// Wherever they lie.
std::vector<const RomFile*> roms_named(Storage& storage, const RomIndex& roms, System system,
                                       const Fields& fields, const Catalog& catalog) {
  if (const auto stem = fields.find("stem"); stem != fields.end())
    return roms.matching(stem->second, system);
  std::vector<const RomFile*> found;
  for (const auto& field : kHashFields) {
    const auto hash = fields.find(field.first);
    if (hash == fields.end()) continue;
    found = roms.hashed_as(storage, hash->second);
    std::erase_if(found, [&](const RomFile* rom) { return rom->info.system != system; });
    return found;
  }
  for (const RomFile* known : roms.roms()) {
    const RomFile& rom = *known;
    if (rom.info.system != system) continue;
    const auto agrees = [&](const char* field, const std::string& value) {
      const auto there = fields.find(field);
      return there != fields.end() && !value.empty() && there->second == value;
    };
    const Game& game = rom.info.game;
    if (agrees("title", game.title) || agrees("title", people_title(rom, catalog)) ||
        agrees("code", game.code) || agrees("serial", game.serial))
      found.push_back(known);
  }
  return found;
}

}  // namespace

std::vector<const RomFile*> roms_of_fields(Storage& storage, const RomIndex& roms, System system,
                                           const Fields& fields, const Catalog& catalog) {
  auto found = roms_named(storage, roms, system, fields, catalog);
  if (const auto folder = fields.find("folder"); folder != fields.end())
    std::erase_if(found, [end = '/' + folder->second](const RomFile* rom) {
      return !folder_text(rom->path).ends_with(end);
    });
  return found;
}

namespace {

// Whether a pattern's field can hold the value: a serial of another form than a disc's cannot.
bool fits(const NamingPattern& field, const char* name, const std::string& value) {
  return field.build({{name, value}}).has_value();
}

}  // namespace

std::vector<std::pair<std::string, std::string>> words_of_rom(const RomFile& rom,
                                                              const Catalog& catalog) {
  std::vector<std::pair<std::string, std::string>> words;
  const auto add = [&](const std::string& word, const std::string& field) {
    const auto same = [&](const auto& known) { return known.first == word; };
    if (word.size() >= kLeastWord && std::ranges::none_of(words, same))
      words.emplace_back(word, field);
  };
  const auto add_hex = [&](const std::string& word, const std::string& field) {
    if (word.size() < kLeastWord) return;
    add(hex_text(as_bytes(word)), field + ":hex");
    add(upper_ascii(hex_text(as_bytes(word))), field + ":hex:upper");
  };
  const auto add_all = [&](const std::string& word, const std::string& field) {
    add(word, field);
    add(lower_ascii(word), field + ":lower");
    add_hex(word, field);
  };
  add(people_title(rom, catalog), "title");
  add(rom.info.game.title, "title");
  static const NamingPattern kCode = *NamingPattern::parse("{code}");
  static const NamingPattern kSerial = *NamingPattern::parse("{serial}");
  const Game& game = rom.info.game;
  if (!rom.info.shared_code && fits(kCode, "code", game.code)) add_all(game.code, "code");
  if (fits(kSerial, "serial", game.serial)) add_all(game.serial, "serial");
  add_hex(rom.stem, "stem");
  return words;
}

std::vector<std::pair<std::string, std::string>> words_of_hashes(const RomHashes& hashes) {
  std::vector<std::pair<std::string, std::string>> words;
  for (const auto& [name, hash] : kHashFields) {
    const std::string& word = hashes.*hash;
    if (word.empty()) continue;
    words.emplace_back(word, name);
    if (upper_ascii(word) != word)
      words.emplace_back(upper_ascii(word), fmt::format("{}:upper", name));
  }
  return words;
}

TitleStyle title_style_of(const std::vector<std::string>& titles, const RomIndex& roms,
                          const Catalog& catalog) {
  std::size_t headers = 0;
  std::size_t people = 0;
  for (const std::string& title : titles)
    for (const RomFile* rom : roms.roms()) {
      headers += rom->info.game.title == title ? 1 : 0;
      people += people_title(*rom, catalog) == title ? 1 : 0;
    }
  return headers > people ? TitleStyle::header : TitleStyle::people;
}

}  // namespace bayswap
