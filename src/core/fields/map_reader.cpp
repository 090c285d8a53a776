// Field maps read from TOML, with errors that point at the place.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <set>
#include <sstream>

#include "core/bytes/text.h"
#include "core/bytes/toml_file.h"
#include "core/fields/field_map.h"

namespace bayswap::fields {
namespace {

constexpr std::size_t kMostText = 1U << 20U;  // bytes of a map
constexpr std::size_t kMostItems = 20'000;    // fields, rules, names … of one list
constexpr int kDeepestStructures = 12;
constexpr unsigned kMostBits = 64;

// Reads tables, and remembers the first thing that is wrong.
class MapReader {
 public:
  MapReader(const TomlValue& root, const std::string& file) : root_(root) {
    map_.file = file;
    map_.name = file;
  }

  Result<std::shared_ptr<const FieldMap>> read() {
    const std::string* mark = root_.text_at("bayswap");
    if (mark == nullptr || *mark != "field map")
      wrong(root_, "a field map begins with: bayswap = \"field map\"");
    known_keys(root_, {"bayswap", "version", "name", "fits", "order", "enum", "table", "text",
                       "struct", "field", "section", "checksum", "rule", "copies"});
    if (const TomlValue* version = root_.get("version");
        version == nullptr || version->integer != 1)
      wrong(version == nullptr ? root_ : *version, "the map has to say: version = 1");
    map_.name = text(root_, "name", map_.file);
    order_ = order(root_, std::endian::little);
    read_fits();
    each_table("enum",
               [&](const std::string& name, const TomlValue& value) { read_enum(name, value); });
    each_table("table",
               [&](const std::string& name, const TomlValue& value) { read_table(name, value); });
    each_table("text",
               [&](const std::string& name, const TomlValue& value) { read_text(name, value); });
    each_table("struct", [&](const std::string& name, const TomlValue& value) {
      known_keys(value, {"size", "field", "section", "checksum", "rule"});
      Structure structure = read_structure(value);
      structure.name = name;
      structure.size = size(value, "size", true);
      if (structure.size == 0) wrong(value, "a structure has a size of at least 1 byte");
      map_.structures.emplace(name, std::move(structure));
    });
    map_.whole = read_structure(root_);
    if (const TomlValue* copies = root_.get("copies")) read_copies(*copies);
    check_used_names();
    if (!failed_) check_heights();
    if (failed_) return tl::unexpected(*failed_);
    return std::make_shared<const FieldMap>(std::move(map_));
  }

 private:
  void wrong(const TomlValue& at, const std::string& reason) {
    if (!failed_) failed_ = toml_error(at, map_.file, Code::bad_map, reason).value();
  }

  void known_keys(const TomlValue& table, std::initializer_list<std::string_view> keys) {
    for (std::size_t i = 0; i < table.keys.size(); ++i)
      if (std::ranges::find(keys, table.keys[i]) == keys.end())
        wrong(table.items[i],
              fmt::format("'{}' means nothing here; known are: {}", safe_text(table.keys[i]),
                          joined({keys.begin(), keys.end()}, ", ")));
  }

  std::string text(const TomlValue& table, const char* key, const std::string& otherwise = "") {
    const TomlValue* value = table.get(key);
    if (value == nullptr) return otherwise;
    if (!value->is_text()) wrong(*value, fmt::format("'{}' is a text in quotes", key));
    return value->text;
  }
  std::vector<std::string> texts(const TomlValue& table, const char* key) {
    std::vector<std::string> list;
    for (const TomlValue* value : list_at(table, key)) {
      if (!value->is_text()) wrong(*value, fmt::format("'{}' is a list of texts", key));
      list.push_back(value->text);
    }
    return list;
  }
  std::vector<const TomlValue*> list_at(const TomlValue& table, const char* key) {
    std::vector<const TomlValue*> list;
    const TomlValue* value = table.get(key);
    if (value == nullptr) return list;
    if (!value->is_list()) {
      wrong(*value, fmt::format("'{}' is a list in [ ]", key));
      return list;
    }
    if (value->items.size() > kMostItems) wrong(*value, fmt::format("'{}' is too long", key));
    for (const TomlValue& item : value->items) list.push_back(&item);
    return list;
  }
  std::vector<const TomlValue*> tables_at(const TomlValue& table, const char* key) {
    auto list = list_at(table, key);
    for (const TomlValue* item : list)
      if (!item->is_table()) wrong(*item, fmt::format("each '{}' is a table", key));
    std::erase_if(list, [](const TomlValue* item) { return !item->is_table(); });
    return list;
  }
  std::optional<std::int64_t> number(const TomlValue& table, const char* key) {
    const TomlValue* value = table.get(key);
    if (value == nullptr) return std::nullopt;
    if (value->kind != TomlValue::Kind::integer) {
      wrong(*value, fmt::format("'{}' is a whole number", key));
      return std::nullopt;
    }
    return value->integer;
  }
  // Bytes: 1 GiB is more than any save has.
  std::uint64_t size(const TomlValue& table, const char* key, bool must) {
    constexpr std::int64_t kMost = 1 << 30;
    const auto value = number(table, key);
    if (!value && must) wrong(table, fmt::format("'{}' is missing here", key));
    if (value && (*value < 0 || *value > kMost))
      wrong(*table.get(key), fmt::format("'{}' is from 0 to 1 GiB", key));
    return static_cast<std::uint64_t>(std::clamp<std::int64_t>(value.value_or(0), 0, kMost));
  }
  bool truth(const TomlValue& table, const char* key) {
    const TomlValue* value = table.get(key);
    if (value == nullptr) return false;
    if (value->kind != TomlValue::Kind::truth)
      wrong(*value, fmt::format("'{}' is true or false", key));
    return value->truth;
  }
  Expression expression(const TomlValue& table, const char* key, bool must = false) {
    const TomlValue* value = table.get(key);
    if (value == nullptr) {
      if (must) wrong(table, fmt::format("'{}' is missing here", key));
      return {};
    }
    if (value->kind == TomlValue::Kind::integer) return Expression::number(value->integer);
    if (!value->is_text()) {
      wrong(*value, fmt::format("'{}' is a number, or an expression in quotes", key));
      return {};
    }
    auto parsed = Expression::parse(value->text);
    if (!parsed) {
      wrong(*value, parsed.error().text);
      return {};
    }
    used_names_.emplace_back(value, parsed->names());
    return std::move(*parsed);
  }
  std::endian order(const TomlValue& table, std::endian otherwise) {
    const std::string said = text(table, "order");
    if (said.empty()) return otherwise;
    if (said != "little" && said != "big")
      wrong(*table.get("order"), "'order' is \"little\" or \"big\"");
    return said == "big" ? std::endian::big : std::endian::little;
  }

  template <class Read>
  void each_table(const char* key, const Read& read) {
    const TomlValue* tables = root_.get(key);
    if (tables == nullptr) return;
    if (!tables->is_table()) return wrong(*tables, fmt::format("'{}' holds tables by name", key));
    for (std::size_t i = 0; i < tables->keys.size(); ++i) {
      if (!tables->items[i].is_table())
        wrong(tables->items[i], fmt::format("'{}.{}' is a table", key, safe_text(tables->keys[i])));
      else
        read(tables->keys[i], tables->items[i]);
    }
  }

  void read_fits() {
    const TomlValue* fits = root_.get("fits");
    if (fits == nullptr || !fits->is_table())
      return wrong(root_, "the table [fits] is missing: it says which saves the map is for");
    known_keys(*fits, {"system", "codes", "titles", "sizes", "part", "marks"});
    const auto system = parse_system(text(*fits, "system"));
    if (!system) return wrong(*fits, "'system' is missing, or no system is called so");
    map_.fits.system = *system;
    map_.fits.codes = texts(*fits, "codes");
    map_.fits.titles = texts(*fits, "titles");
    map_.fits.part = text(*fits, "part");
    for (const TomlValue* one : list_at(*fits, "sizes")) {
      if (one->kind != TomlValue::Kind::integer || one->integer <= 0)
        wrong(*one, "a size is a number of bytes");
      map_.fits.sizes.push_back(static_cast<std::uint64_t>(one->integer));
    }
    for (const TomlValue* one : tables_at(*fits, "marks")) {
      known_keys(*one, {"at", "text", "hex"});
      Fits::Mark mark{size(*one, "at", true), {}};
      const std::string letters = text(*one, "text");
      mark.bytes.assign(as_bytes(letters).begin(), as_bytes(letters).end());
      if (letters.empty()) {
        const auto bytes = bytes_of_hex(replaced(text(*one, "hex"), " ", ""));
        if (!bytes || bytes->empty()) wrong(*one, "a mark has a 'text', or bytes in 'hex'");
        mark.bytes = bytes.value_or(Bytes{});
      }
      map_.fits.marks.push_back(std::move(mark));
    }
  }

  // Keys are the numbers.
  void read_enum(const std::string& name, const TomlValue& value) {
    Enumeration made;
    for (std::size_t i = 0; i < value.keys.size(); ++i) {
      const auto number = Expression::parse(value.keys[i]);
      if (!number || !number->constant() || !value.items[i].is_text())
        wrong(value.items[i], "write: 3 = \"name\"");
      else
        made.names.emplace_back(*number->constant(), value.items[i].text);
    }
    map_.enumerations.emplace(name, std::move(made));
  }

  void read_table(const std::string& name, const TomlValue& value) {
    known_keys(value, {"values", "from", "to"});
    std::vector<std::int64_t> made;
    for (const TomlValue* one : list_at(value, "values")) {
      if (one->kind != TomlValue::Kind::integer) wrong(*one, "a table has whole numbers");
      made.push_back(one->integer);
    }
    const auto from = number(value, "from");
    const auto to = number(value, "to");
    if (from && to) {
      if (*to < *from || *to - *from > static_cast<std::int64_t>(kMostItems))
        wrong(value, "'from' to 'to' is empty, or too long");
      else
        for (std::int64_t one = *from; one <= *to; ++one) made.push_back(one);
    }
    map_.tables.emplace(name, std::move(made));
  }

  void read_text(const std::string& name, const TomlValue& value) {
    known_keys(value, {"run", "letters"});
    TextTable made;
    const auto add = [&](const TomlValue& at, const std::string& letter, std::int64_t byte) {
      if (byte < 0 || byte > 0xFF || letter.empty())
        return wrong(at, "a letter has a byte, 0 to 255");
      made.letters.emplace_back(letter, static_cast<std::uint8_t>(byte));
    };
    for (const TomlValue* one : tables_at(value, "run")) {
      known_keys(*one, {"at", "letters"});
      std::int64_t byte = number(*one, "at").value_or(-1);
      const std::string letters = text(*one, "letters");
      for (std::size_t at = 0; at < letters.size(); ++byte) {
        const Letter letter = letter_at(letters, at);
        add(*one, letters.substr(at, letter.bytes), byte);
        at += letter.bytes;
      }
    }
    if (const TomlValue* single = value.get("letters"); single != nullptr && single->is_table())
      for (std::size_t i = 0; i < single->keys.size(); ++i)
        add(single->items[i], single->keys[i], single->items[i].integer);
    // Longer ones are looked for first.
    std::ranges::stable_sort(made.letters, std::ranges::greater{},
                             [](const auto& letter) { return letter.first.size(); });
    map_.texts.emplace(name, std::move(made));
  }

  Structure read_structure(const TomlValue& table) {
    Structure structure;
    for (const TomlValue* one : tables_at(table, "section"))
      structure.sections.push_back(read_section(*one));
    for (const TomlValue* one : tables_at(table, "field")) {
      Field field = read_field(*one);
      if (!structure.by_name.emplace(field.name, structure.fields.size()).second)
        wrong(*one, fmt::format("there are two fields called '{}'", safe_text(field.name)));
      check_section(*one, structure, field.section);
      structure.fields.push_back(std::move(field));
    }
    const auto sections = tables_at(table, "section");
    for (std::size_t i = 0; i < sections.size(); ++i)
      check_key(*sections[i], structure, structure.sections[i]);
    for (const TomlValue* one : tables_at(table, "checksum")) {
      structure.checksums.push_back(read_checksum(*one));
      const Checksum& sum = structure.checksums.back();
      check_section(*one, structure, sum.section);
      for (const Checksum::Range& range : sum.over) {
        check_section(*one, structure, range.section);
        if (!range.field.empty() && structure.field(range.field) == nullptr)
          wrong(*one, fmt::format("there is no field '{}' beside it", safe_text(range.field)));
      }
    }
    for (const TomlValue* one : tables_at(table, "rule")) {
      known_keys(*one, {"name", "text", "when", "must"});
      Rule rule{text(*one, "name"), text(*one, "text"), expression(*one, "when"),
                expression(*one, "must", true)};
      if (rule.name.empty()) wrong(*one, "a rule has a 'name'");
      structure.rules.push_back(std::move(rule));
    }
    return structure;
  }

  void name_of(const TomlValue& table, std::string& name) {
    name = text(table, "name");
    const auto is_plain = [](char c) {
      return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') || c == '_';
    };
    if (name.empty() || (name[0] >= '0' && name[0] <= '9') || !std::ranges::all_of(name, is_plain))
      wrong(table, "a name is needed, of letters, digits and _");
  }

  // `u8`, `i16`, `bcd4`, `bool`, `text`, `bytes`, or a structure's name.
  void read_type(const TomlValue& table, Field& field) {
    const std::string type = text(table, "type");
    const auto number_behind = [&](std::size_t letters) -> unsigned {
      unsigned value = 0;
      for (const char c : std::string_view(type).substr(letters)) {
        if (c < '0' || c > '9' || value > 99) return 0;
        value = value * 10 + static_cast<unsigned>(c - '0');
      }
      return value;
    };
    if (type == "text" || type == "bytes") {
      field.shape = type == "text" ? Shape::text : Shape::bytes;
    } else if (type == "bool") {
      field.width = 1;
      field.enumeration = "bool";
      map_.enumerations.try_emplace("bool", Enumeration{{{0, "no"}, {1, "yes"}}});
    } else if (type.starts_with("bcd") && number_behind(3) > 0) {
      field.shape = Shape::bcd;
      field.width = number_behind(3);
      if (field.width > 18 || field.width % 2 != 0)
        wrong(table, "bcd has 2 to 18 digits, two a byte");
    } else if ((type.starts_with('u') || type.starts_with('i')) && number_behind(1) > 0) {
      field.width = number_behind(1);
      field.is_signed = type[0] == 'i';
      if (field.width > kMostBits) wrong(table, "a number has 1 to 64 bits");
    } else if (!type.empty() && root_.get("struct") != nullptr &&
               root_.get("struct")->get(type) != nullptr) {
      field.shape = Shape::structure;
      field.structure = type;
    } else {
      wrong(table,
            fmt::format("there is no type '{}': write u8, i16, bcd4, bool, text, bytes, or the "
                        "name of a structure",
                        safe_text(type)));
    }
  }

  Field read_field(const TomlValue& table) {
    known_keys(table, {"name",   "label",  "at",       "in",   "type", "count", "stride", "order",
                       "bit",    "range",  "divide",   "unit", "enum", "flags", "time",   "span",
                       "refers", "length", "encoding", "fill", "end",  "when"});
    Field field;
    name_of(table, field.name);
    field.label = text(table, "label");
    field.at = expression(table, "at", true);
    field.section = text(table, "in");
    field.when = expression(table, "when");
    field.order = order(table, order_);
    read_type(table, field);
    const std::int64_t bit = number(table, "bit").value_or(0);
    if (bit < 0 || bit + field.width > kMostBits) wrong(table, "the bits have to lie in 64 bits");
    field.bit = static_cast<unsigned>(std::clamp<std::int64_t>(bit, 0, kMostBits));
    if (table.get("count") != nullptr) field.count = expression(table, "count");
    if (table.get("stride") != nullptr) field.stride = expression(table, "stride");
    read_meaning(table, field);
    field.length =
        expression(table, "length", field.shape == Shape::text || field.shape == Shape::bytes);
    field.encoding = text(table, "encoding", "ascii");
    static const std::set<std::string> kEncodings{"ascii", "latin-1", "shift-jis", "utf-8",
                                                  "utf-16"};
    if (!kEncodings.contains(field.encoding) && !map_.texts.contains(field.encoding))
      wrong(table, fmt::format("there is no text table '{}'", safe_text(field.encoding)));
    field.fill = static_cast<std::byte>(number(table, "fill").value_or(0) & 0xFF);
    if (const auto end = number(table, "end")) field.end = static_cast<std::byte>(*end & 0xFF);
    return field;
  }

  // What a number means to people.
  void read_meaning(const TomlValue& table, Field& field) {
    if (field.enumeration.empty()) field.enumeration = text(table, "enum");
    if (!field.enumeration.empty() && !map_.enumerations.contains(field.enumeration))
      wrong(table, fmt::format("there is no enum '{}'", safe_text(field.enumeration)));
    field.unit = text(table, "unit");
    if (const auto range = list_at(table, "range"); !range.empty()) {
      if (range.size() != 2 || range[0]->kind != TomlValue::Kind::integer ||
          range[1]->kind != TomlValue::Kind::integer)
        wrong(table, "write: range = [0, 99]");
      field.least = range.front()->integer;
      field.most = range.back()->integer;
    }
    field.divide = number(table, "divide").value_or(1);
    if (!divides_decimally(field.divide))
      wrong(table, "'divide' is a product of 2s and 5s, such as 10, 16 or 256");
    if (const TomlValue* flags = table.get("flags")) read_flags(*flags, field);
    const std::string refers = text(table, "refers");
    std::istringstream steps(refers);
    for (std::string step; std::getline(steps, step, '.');) field.refers.push_back(step);
    if (const TomlValue* time = table.get("time")) read_time(*time, field, false);
    if (const TomlValue* span = table.get("span")) read_time(*span, field, true);
    if (field.shape != Shape::number && field.shape != Shape::bcd &&
        (!field.enumeration.empty() || field.time || !field.flags.empty() || field.divide != 1))
      wrong(table, "only numbers have names, flags, times and divisors");
  }

  static bool divides_decimally(std::int64_t divide) {
    if (divide < 1 || divide > 1'000'000'000) return false;
    while (divide % 2 == 0) divide /= 2;
    while (divide % 5 == 0) divide /= 5;
    return divide == 1;
  }

  void read_flags(const TomlValue& flags, Field& field) {
    if (!flags.is_table()) return wrong(flags, "write: flags = { 0 = \"name\", 3 = \"other\" }");
    for (std::size_t i = 0; i < flags.keys.size(); ++i) {
      const auto bit = Expression::parse(flags.keys[i]);
      const bool fits = bit && bit->constant() && *bit->constant() >= 0 &&
                        *bit->constant() < static_cast<std::int64_t>(field.width);
      if (!fits || !flags.items[i].is_text())
        wrong(flags.items[i], "a flag is a bit of the number, and its name");
      else
        field.flags.emplace_back(static_cast<unsigned>(*bit->constant()), flags.items[i].text);
    }
    std::ranges::sort(field.flags);
  }

  // `{ since = "2000-01-01", unit = "seconds" }`; a span has `per_second` as well.
  void read_time(const TomlValue& table, Field& field, bool span) {
    if (!table.is_table())
      return wrong(table, "write: time = { since = \"2000-01-01\", unit = \"seconds\" }");
    known_keys(table, {"since", "unit", "per_second"});
    TimeForm form;
    form.span = span;
    const std::string unit = text(table, "unit", "seconds");
    static const std::map<std::string, std::int64_t> kUnits{
        {"seconds", 1}, {"minutes", 60}, {"hours", 3600}, {"days", 86'400}};
    if (!kUnits.contains(unit))
      wrong(table, "'unit' is seconds, minutes, hours or days");
    else
      form.unit = kUnits.at(unit);
    form.second = number(table, "per_second").value_or(1);
    if (form.second < 1 || form.second > 1'000'000)
      wrong(table, "'per_second' is from 1 to 1,000,000");
    std::istringstream since(text(table, "since", "1970-01-01"));
    int year = 0;
    unsigned month = 0;
    unsigned day = 0;
    char dash = 0;
    since >> year >> dash >> month >> dash >> day;
    const std::chrono::year_month_day date{std::chrono::year{year}, std::chrono::month{month},
                                           std::chrono::day{day}};
    if (!since || !date.ok())
      wrong(table, "'since' is a day, such as 2000-01-01");
    else
      form.since = std::chrono::sys_seconds(std::chrono::sys_days(date)).time_since_epoch().count();
    field.time = form;
  }

  Section read_section(const TomlValue& table) {
    known_keys(table, {"name", "at", "size", "pieces", "block", "choose", "orders", "permute",
                       "mask", "mask_bits", "order"});
    Section section;
    name_of(table, section.name);
    for (const TomlValue* one : tables_at(table, "pieces"))
      section.pieces.push_back({expression(*one, "at", true), expression(*one, "size", true)});
    if (section.pieces.empty())
      section.pieces.push_back({expression(table, "at", true), expression(table, "size", true)});
    section.block = static_cast<std::uint32_t>(size(table, "block", false));
    section.order = expression(table, "choose");
    read_orders(table, section);
    section.mask = expression(table, "mask");
    section.mask_order = order(table, order_);
    section.mask_width = static_cast<unsigned>(number(table, "mask_bits").value_or(8));
    if (section.mask_width != 8 && section.mask_width != 16 && section.mask_width != 32 &&
        section.mask_width != 64)
      wrong(table, "'mask_bits' is 8, 16, 32 or 64");
    return section;
  }

  // All orders of n blocks, or a list of them.
  void read_orders(const TomlValue& table, Section& section) {
    constexpr std::int64_t kMostPermuted = 6;  // 720 orders
    if (const auto count = number(table, "permute")) {
      if (*count < 2 || *count > kMostPermuted)
        return wrong(table, "'permute' is from 2 to 6 blocks");
      std::vector<std::uint8_t> order;
      for (std::int64_t i = 0; i < *count; ++i) order.push_back(static_cast<std::uint8_t>(i));
      do section.orders.push_back(order);
      while (std::next_permutation(order.begin(), order.end()));
    }
    for (const TomlValue* one : list_at(table, "orders")) {
      std::vector<std::uint8_t> order;
      for (const TomlValue& block : one->items)
        order.push_back(static_cast<std::uint8_t>(std::clamp<std::int64_t>(block.integer, 0, 255)));
      std::vector<std::uint8_t> sorted = order;
      std::ranges::sort(sorted);
      for (std::size_t i = 0; i < sorted.size(); ++i)
        if (sorted[i] != i) wrong(*one, "an order has each block once, from 0");
      if (order.empty()) wrong(*one, "an order is a list of blocks, from 0");
      section.orders.push_back(std::move(order));
    }
    if (section.orders.empty() != (section.block == 0))
      wrong(table, "blocks need 'block' (their size) and 'permute' or 'orders'");
    if (!section.orders.empty() && section.order.empty())
      wrong(table, "'choose' is missing: it says which order the blocks have");
  }

  Checksum read_checksum(const TomlValue& table) {
    known_keys(table, {"name", "at", "in", "type", "order", "kind", "unit", "start", "plus",
                       "complement", "polynomial", "crc_bits", "reflected", "reflected_out",
                       "final_xor", "over", "without_itself"});
    Checksum sum;
    name_of(table, sum.name);
    sum.at = expression(table, "at", true);
    sum.section = text(table, "in");
    sum.order = order(table, order_);
    const std::string type = text(table, "type", "u16");
    static const std::map<std::string, unsigned> kTypes{
        {"u8", 8}, {"u16", 16}, {"u24", 24}, {"u32", 32}, {"u64", 64}};
    if (!kTypes.contains(type))
      wrong(table, "a checksum is u8, u16, u24, u32 or u64");
    else
      sum.width = kTypes.at(type);
    static const std::map<std::string, Checksum::Kind> kKinds{{"sum", Checksum::Kind::sum},
                                                              {"xor", Checksum::Kind::exclusive_or},
                                                              {"crc", Checksum::Kind::crc}};
    const std::string kind = text(table, "kind");
    if (!kKinds.contains(kind))
      wrong(table, "'kind' is sum, xor or crc");
    else
      sum.kind = kKinds.at(kind);
    sum.unit = static_cast<unsigned>(number(table, "unit").value_or(8));
    if (sum.unit != 8 && sum.unit != 16 && sum.unit != 32)
      wrong(table, "'unit' is 8, 16 or 32 bits");
    const auto raw = [&](const char* key) {
      return static_cast<std::uint64_t>(number(table, key).value_or(0));
    };
    sum.start = raw("start");
    sum.plus = raw("plus");
    sum.polynomial = raw("polynomial");
    sum.final_xor = raw("final_xor");
    sum.reflected = truth(table, "reflected");
    sum.reflected_out =
        table.get("reflected_out") == nullptr ? sum.reflected : truth(table, "reflected_out");
    sum.without_itself = truth(table, "without_itself");
    const std::int64_t bits = number(table, "crc_bits").value_or(sum.width);
    if (bits < 8 || bits > sum.width)
      wrong(table, "'crc_bits' is from 8 to what the checksum's type holds");
    else
      sum.crc_bits = static_cast<unsigned>(bits);
    static const std::map<std::string, Checksum::Complement> kComplements{
        {"", Checksum::Complement::none},
        {"ones", Checksum::Complement::ones},
        {"twos", Checksum::Complement::twos}};
    const std::string complement = text(table, "complement");
    if (!kComplements.contains(complement))
      wrong(table, "'complement' is ones or twos");
    else
      sum.complement = kComplements.at(complement);
    if (sum.kind == Checksum::Kind::crc && sum.polynomial == 0)
      wrong(table, "a crc has a 'polynomial'");
    for (const TomlValue* one : tables_at(table, "over")) {
      known_keys(*one, {"at", "size", "in", "field"});
      Checksum::Range range{text(*one, "in"), {}, {}, text(*one, "field")};
      range.at = expression(*one, "at", range.field.empty());
      range.size = expression(*one, "size", range.field.empty());
      sum.over.push_back(std::move(range));
    }
    if (sum.over.empty()) wrong(table, "'over' is missing: a list of ranges, or of fields");
    return sum;
  }

  void read_copies(const TomlValue& table) {
    if (!table.is_table()) return wrong(table, "[copies] is a table");
    known_keys(table, {"at", "size", "counter", "write", "sectors"});
    Copies copies;
    for (const TomlValue* one : list_at(table, "at"))
      copies.at.push_back(static_cast<std::uint64_t>(std::max<std::int64_t>(one->integer, 0)));
    if (copies.at.empty() || copies.at.size() > 64)
      wrong(table, "'at' says where 1 to 64 copies begin");
    copies.size = size(table, "size", true);
    copies.counter = text(table, "counter");
    const std::string write = text(table, "write", "same");
    if (write != "same" && write != "next") wrong(table, "'write' is \"same\" or \"next\"");
    copies.write_next = write == "next";
    if (const TomlValue* sectors = table.get("sectors");
        sectors != nullptr && sectors->is_table()) {
      known_keys(*sectors, {"count", "size", "id_at", "id_bits", "order"});
      Copies::Sectors made{size(*sectors, "count", true), size(*sectors, "size", true),
                           size(*sectors, "id_at", true),
                           static_cast<unsigned>(number(*sectors, "id_bits").value_or(16)),
                           order(*sectors, order_)};
      if (made.id_width != 8 && made.id_width != 16 && made.id_width != 32)
        wrong(*sectors, "'id_bits' is 8, 16 or 32");
      if (made.count == 0 || made.count > 256 || made.count * made.size != copies.size ||
          made.id_at + made.id_width / 8 > made.size)
        wrong(*sectors, "1 to 256 sectors fill the copy, and each holds its id");
      copies.sectors = made;
    }
    map_.copies = std::move(copies);
  }

  void check_section(const TomlValue& at, const Structure& structure, const std::string& name) {
    if (!name.empty() && structure.section(name) == nullptr)
      wrong(at, fmt::format("there is no section '{}' beside it", safe_text(name)));
  }

  // What unlocks a section can't lie in one.
  void check_key(const TomlValue& at, const Structure& structure, const Section& section) {
    for (const Expression* key : {&section.order, &section.mask})
      for (const std::string& name : key->names()) {
        const Field* field = structure.field(name);
        if (field == nullptr || !field->section.empty() || field->shape == Shape::structure)
          wrong(at, fmt::format("section '{}': its key '{}' has to be a number beside it, outside "
                                "of sections",
                                section.name, safe_text(name)));
      }
  }

  // Names that mean nothing anywhere in the map are told before a save is opened.
  void check_used_names() {
    std::set<std::string> known{"index"};
    const auto add_fields = [&](const Structure& structure) {
      for (const Field& field : structure.fields) known.insert(field.name);
    };
    add_fields(map_.whole);
    for (const auto& [name, structure] : map_.structures) add_fields(structure);
    for (const auto& [name, table] : map_.tables) known.insert(name);
    for (const auto& [name, names] : map_.enumerations) known.insert(name);
    for (const auto& [value, names] : used_names_)
      for (const std::string& name : names)
        if (!known.contains(name))
          wrong(*value, fmt::format("there is no field, table or enum '{}'", safe_text(name)));
  }

  // How many structures lie in each other, from this one inwards.
  int height_of(const std::string& name) {
    const auto [known, first] = heights_.emplace(name, kDeepestStructures + 1);
    if (!first) return known->second;  // one that is being asked for lies in itself
    int height = 1;
    for (const Field& field : map_.structures.find(name)->second.fields)
      if (field.shape == Shape::structure)
        height = std::max(height, 1 + height_of(field.structure));
    heights_[name] = height;
    return height;
  }

  void check_heights() {
    for (const auto& [name, structure] : map_.structures)
      if (height_of(name) > kDeepestStructures)
        return wrong(root_,
                     fmt::format("structure '{}' lies in itself, or too deep", safe_text(name)));
  }

  const TomlValue& root_;
  FieldMap map_;
  std::map<std::string, int> heights_;
  std::vector<std::pair<const TomlValue*, std::vector<std::string>>> used_names_;
  std::endian order_ = std::endian::little;
  std::optional<Error> failed_;
};

}  // namespace

const Field* Structure::field(std::string_view wanted) const {
  const auto found = by_name.find(wanted);
  return found == by_name.end() ? nullptr : &fields[found->second];
}

const Section* Structure::section(std::string_view wanted) const {
  const auto found = std::ranges::find(sections, wanted, &Section::name);
  return found == sections.end() ? nullptr : &*found;
}

const std::string* Enumeration::name_of(std::int64_t value) const {
  const auto found = std::ranges::find(names, value, &std::pair<std::int64_t, std::string>::first);
  return found == names.end() ? nullptr : &found->second;
}

Result<std::shared_ptr<const FieldMap>> read_map(std::string_view text, const std::string& file) {
  if (text.size() > kMostText)
    return fail(
        Trouble::input, Code::bad_map,
        fmt::format("{}: is larger than a map can be ({})", safe_text(file), size_text(kMostText)));
  const auto root = parse_toml(text, file, Code::bad_map);
  if (!root) return tl::unexpected(root.error());
  return MapReader(*root, file).read();
}

}  // namespace bayswap::fields
