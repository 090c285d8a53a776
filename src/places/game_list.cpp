#include "places/game_list.h"

#include <csv.h>
#include <fmt/core.h>

#include <algorithm>
#include <charconv>
#include <map>
#include <pugixml.hpp>
#include <set>
#include <tuple>

#include "core/bytes/text.h"
#include "core/naming/tags.h"

namespace bayswap {
namespace {

constexpr std::size_t kDeepest = 16;  // elements in elements that are followed

std::string_view text_in(ByteView bytes) {
  std::string_view text(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  if (text.starts_with("\xEF\xBB\xBF")) text.remove_prefix(3);
  return text;
}

tl::unexpected<Error> bad_list(const std::string& name, std::size_t line, std::string_view why) {
  return fail(Trouble::input, Code::bad_list, fmt::format("{}:{}: {}", safe_text(name), line, why),
              "save the list again as XML or CSV; nothing was imported");
}

std::size_t line_of(std::string_view text, std::size_t offset) {
  return 1 + static_cast<std::size_t>(
                 std::ranges::count(text.substr(0, std::min(offset, text.size())), '\n'));
}

// Text that is not a hash is left out: it must never match anything.
std::string hash_of(std::string_view text, std::size_t digits) {
  std::string hash = lower_ascii(text);
  if (hash.starts_with("0x")) hash.erase(0, 2);
  const bool fine =
      hash.size() == digits && hash.find_first_not_of("0123456789abcdef") == hash.npos;
  return fine ? hash : std::string();
}

std::uint64_t number_of(std::string_view text) {
  std::uint64_t number = 0;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), number);
  return problem == std::errc{} && end == text.data() + text.size() ? number : 0;
}

// The first attribute of these names that says something.
std::string attribute_of(const pugi::xml_node& node, std::initializer_list<const char*> names) {
  for (const char* name : names)
    if (std::string value = node.attribute(name).as_string(); !value.empty()) return value;
  return {};
}

void add_images(const pugi::xml_node& node, ListedGame& game, std::size_t depth) {
  for (const pugi::xml_node& child : node.children()) {
    const std::string_view tag = child.name();
    if (tag == "rom" || tag == "disk" || tag == "file") {
      CatalogDump dump;
      dump.name = attribute_of(child, {"name"});
      dump.size = number_of(attribute_of(child, {"size"}));
      dump.crc32 = hash_of(attribute_of(child, {"crc", "crc32"}), 8);
      dump.sha1 = hash_of(attribute_of(child, {"sha1"}), 40);
      if (game.serial.empty()) game.serial = attribute_of(child, {"serial"});
      if (!dump.crc32.empty() || !dump.sha1.empty()) game.dumps.push_back(std::move(dump));
    } else if (tag == "info" || tag == "feature") {
      if (game.serial.empty() && lower_ascii(attribute_of(child, {"name"})) == "serial")
        game.serial = attribute_of(child, {"value"});
    } else if (tag == "serial") {
      if (game.serial.empty()) game.serial = child.text().as_string();
    } else if (tag == "release") {
      if (game.region.empty()) game.region = attribute_of(child, {"region"});
    } else if (depth < kDeepest) {
      add_images(child, game, depth + 1);
    }
  }
}

Result<GameList> read_xml(std::string_view text, const std::string& name) {
  pugi::xml_document document;
  const pugi::xml_parse_result parsed = document.load_buffer(text.data(), text.size());
  if (!parsed)
    return bad_list(
        name, line_of(text, static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, parsed.offset))),
        parsed.description());
  std::vector<ListedGame> games;
  std::map<std::string, std::string> names;
  for (const pugi::xml_node& node : document.document_element().children()) {
    const std::string_view tag = node.name();
    if (tag != "game" && tag != "machine" && tag != "software") continue;
    ListedGame game;
    game.name = attribute_of(node, {"name"});
    // Where the name is a short one, the description is what people read.
    const std::string described = node.child("description").text().as_string();
    const std::string key = game.name;
    if (!described.empty() && tag == "software") game.name = described;
    game.parent = attribute_of(node, {"cloneof"});
    game.serial = attribute_of(node, {"serial"});
    game.system = attribute_of(node, {"system", "platform"});
    game.region = attribute_of(node, {"region"});
    game.chip = attribute_of(node, {"save_type", "savetype", "chip", "save"});
    add_images(node, game, 0);
    if (game.name.empty()) continue;
    names.emplace(key, game.name);
    games.push_back(std::move(game));
  }
  // Variants name their parent by its key.
  for (ListedGame& game : games)
    if (const auto parent = names.find(game.parent); parent != names.end())
      game.parent = parent->second;
  return GameList{std::move(games), {}};
}

// The records of a CSV text; fields may be quoted and hold line ends.
class CsvRecords {
 public:
  struct Record {
    std::size_t line = 0;  // from 1
    std::vector<std::string> fields;
  };

  CsvRecords(std::string_view text, char separator) {
    csv_parser parser;
    if (csv_init(&parser, CSV_REPALL_NL | CSV_APPEND_NULL) != 0) return;
    csv_set_delim(&parser, static_cast<unsigned char>(separator));
    std::size_t line = 0;
    while (!text.empty()) {
      ++line;
      if (!inside_) next_.line = line;
      const std::size_t end = std::min(text.find('\n'), text.size());
      const std::string fed = std::string(text.substr(0, end)) + "\n";
      inside_ = true;
      csv_parse(&parser, fed.data(), fed.size(), &add_field, &end_record, this);
      text.remove_prefix(std::min(text.size(), end + 1));
    }
    open_quote_ = inside_;
    csv_free(&parser);
  }

  [[nodiscard]] const std::vector<Record>& records() const { return records_; }
  /// Where a quote begins that is never closed.
  [[nodiscard]] std::optional<std::size_t> open_quote() const {
    return open_quote_ ? std::optional(next_.line) : std::nullopt;
  }

 private:
  static void add_field(void* text, std::size_t size, void* self) {
    static_cast<CsvRecords*>(self)->next_.fields.emplace_back(static_cast<const char*>(text), size);
  }
  static void end_record(int /*separator*/, void* self) {
    auto& records = *static_cast<CsvRecords*>(self);
    records.records_.push_back(std::move(records.next_));
    records.next_ = {};
    records.inside_ = false;
  }

  std::vector<Record> records_;
  Record next_;
  bool inside_ = false;  // of a record whose end was not seen
  bool open_quote_ = false;
};

char separator_in(std::string_view first_line) {
  char best = ',';
  for (const char c : {';', '\t'})
    if (std::ranges::count(first_line, c) > std::ranges::count(first_line, best)) best = c;
  return best;
}

Result<GameList> read_csv(std::string_view text, const std::string& name) {
  const CsvRecords csv(text, separator_in(text.substr(0, text.find('\n'))));
  if (csv.open_quote()) return bad_list(name, *csv.open_quote(), "a quote is never closed");
  std::map<std::string, std::size_t> columns;
  const std::vector<std::string> heads =
      csv.records().empty() ? std::vector<std::string>{} : csv.records().front().fields;
  for (std::size_t i = 0; i < heads.size(); ++i) {
    std::string plain;
    for (const char c : lower_ascii(heads[i]))
      if (c != ' ' && c != '_' && c != '-') plain.push_back(c);
    columns.try_emplace(plain, i);
  }
  std::set<std::size_t> used;
  const auto column = [&](std::initializer_list<const char*> names) -> std::optional<std::size_t> {
    for (const char* wanted : names)
      if (const auto found = columns.find(wanted); found != columns.end()) {
        used.insert(found->second);
        return found->second;
      }
    return std::nullopt;
  };
  const auto title = column({"name", "title", "game"});
  if (!title)
    return fail(Trouble::input, Code::no_match,
                fmt::format("{}: is not a game list: neither XML, nor CSV with a column 'name'",
                            safe_text(name)),
                "the first line of a CSV names its columns: name, serial, size, crc32, sha1, "
                "cloneof, region, system");
  const auto serial = column({"serial", "code", "id"});
  const auto size = column({"size", "bytes"});
  const auto crc = column({"crc32", "crc"});
  const auto sha = column({"sha1"});
  const auto parent = column({"cloneof", "parent"});
  const auto region = column({"region", "country"});
  const auto system = column({"system", "platform", "console"});
  const auto chip = column({"savetype", "save", "saves", "chip", "savechip", "backup", "backuptype",
                            "storage", "memory", "battery"});
  std::vector<ListedGame> games;
  for (std::size_t i = 1; i < csv.records().size(); ++i) {
    const auto& fields = csv.records()[i].fields;
    const auto field = [&](const std::optional<std::size_t>& place) {
      return place && *place < fields.size() ? fields[*place] : std::string();
    };
    ListedGame game;
    game.name = field(title);
    if (game.name.empty()) continue;
    game.parent = field(parent);
    game.serial = field(serial);
    game.system = field(system);
    game.region = field(region);
    game.chip = field(chip);
    CatalogDump dump;
    dump.name = game.name;
    dump.size = number_of(field(size));
    dump.crc32 = hash_of(field(crc), 8);
    dump.sha1 = hash_of(field(sha), 40);
    if (!dump.crc32.empty() || !dump.sha1.empty()) game.dumps.push_back(std::move(dump));
    games.push_back(std::move(game));
  }
  GameList list{std::move(games), {}};
  for (std::size_t i = 0; i < heads.size(); ++i)
    if (!used.contains(i) && !heads[i].empty()) list.unused.push_back(heads[i]);
  return list;
}

Region region_of(const ListedGame& game) {
  if (!game.region.empty()) {
    if (const auto known = parse_region(lower_ascii(game.region))) return *known;
    const Region worded = region_of_name("(" + game.region + ")");
    if (worded != Region::unknown) return worded;
  }
  return region_of_name(game.name);
}

}  // namespace

Result<GameList> read_game_list(ByteView bytes, const std::string& name) {
  const std::string_view text = text_in(bytes);
  const std::size_t start = text.find_first_not_of(" \t\r\n");
  if (start == std::string_view::npos)
    return fail(Trouble::input, Code::bad_list, fmt::format("{}: is empty", safe_text(name)),
                "save the list again");
  auto games = text[start] == '<' ? read_xml(text, name) : read_csv(text, name);
  if (games && games->games.empty())
    return fail(Trouble::input, Code::no_match, fmt::format("{}: lists no game", safe_text(name)),
                "XML lists hold <game name=…> elements, CSV lists a column 'name'");
  return games;
}

std::string chip_of_words(System system, std::string_view words) {
  std::string plain;
  for (const char c : lower_ascii(words))
    if ((c >= 'a' && c <= 'z') || (c >= '0' && c <= '9')) plain.push_back(c);
  const auto has = [&](std::string_view text) { return plain.find(text) != plain.npos; };
  if (plain == "none" || plain == "no" || plain == "nosave" || plain == "password") return "none";
  std::string chip;
  if (has("pak"))
    chip = "pak";
  else if (has("eep"))
    chip = system == System::n64   ? (has("16")  ? "eeprom16k"
                                      : has("4") ? "eeprom4k"
                                                 : "eeprom")
           : system == System::gba ? (has("64") || has("8k")   ? "eeprom8k"
                                      : has("4") || has("512") ? "eeprom512"
                                                               : "eeprom")
                                   : "eeprom";
  else if (has("flash"))
    chip = system != System::gba                    ? "flash"
           : has("1m") || has("128") || has("1024") ? "flash128"
           : has("512") || has("64")                ? "flash64"
                                                    : "flash";
  else if (has("sram") || has("fram") || has("battery") || plain == "yes" || plain == "ram")
    chip = "sram";
  CatalogGame game;
  game.system = system;
  game.chip = chip;
  return game.chips() ? chip : std::string();
}

std::vector<CatalogGame> grouped_games(const std::vector<ListedGame>& listed,
                                       std::optional<System> system) {
  std::vector<CatalogGame> games;
  std::map<std::string, std::size_t> places;
  std::set<std::tuple<std::size_t, std::string, std::string, std::string, std::uint64_t, Region>>
      seen;
  for (const ListedGame& one : listed) {
    const auto own = parse_system(lower_ascii(one.system));
    if (!own && !system) continue;
    const std::string title = untagged_name(one.parent.empty() ? one.name : one.parent);
    const System of = own.value_or(system.value_or(System::snes));
    const auto [place, fresh] =
        places.try_emplace(fmt::format("{}:{}", to_string(of), plain_title(title)), games.size());
    if (fresh) {
      games.emplace_back();
      games.back().title = title;
      games.back().system = of;
    }
    CatalogGame& game = games[place->second];
    if (game.chip.empty()) game.chip = chip_of_words(of, one.chip);
    Region region = region_of(one);
    if (!one.serial.empty())
      game.codes.try_emplace(region == Region::unknown ? Region::any : region, one.serial);
    for (CatalogDump dump : one.dumps) {
      dump.region = region;
      if (seen.emplace(place->second, dump.name, dump.crc32, dump.sha1, dump.size, dump.region)
              .second)
        game.dumps.push_back(std::move(dump));
    }
  }
  return games;
}

}  // namespace bayswap
