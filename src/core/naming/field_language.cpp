#include "core/naming/field_language.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>

#include "bayswap/game.h"
#include "core/bytes/cursor.h"
#include "core/bytes/text.h"
#include "core/model/sony_names.h"

namespace bayswap::naming {
namespace {

constexpr unsigned kMaxSlot = 9999;
constexpr unsigned kTen = 10;
constexpr unsigned kLetters = 26;

CharClass range(char first, char last) {
  CharClass chars;
  for (int c = static_cast<unsigned char>(first); c <= static_cast<unsigned char>(last); ++c)
    chars.set(static_cast<std::size_t>(c));
  return chars;
}

CharClass digits() {
  return range('0', '9');
}
CharClass hex_digits(bool upper) {
  return digits() | (upper ? range('A', 'F') : range('a', 'f'));
}
CharClass letters(bool lower) {
  return lower ? range('a', 'z') : range('A', 'Z');
}

// What a file name may hold: no separator, no control characters.
const CharClass& free_text() {
  static const CharClass kFree = [] {
    CharClass chars;
    for (std::size_t c = 0x20; c < 256; ++c)
      if (c != '/' && c != 0x7F) chars.set(c);
    return chars;
  }();
  return kFree;
}

CharClass folders_text() {
  return free_text() | range('/', '/');
}

Spelling literal(std::string_view text) {
  Spelling spelling;
  for (const char c : text) spelling.push_back({range(c, c), 1, 1});
  return spelling;
}

enum class Shape { text, code, serial, region, hex, slot, folders };

struct FieldKind {
  std::string_view name;
  Shape shape;
  std::size_t length;  // characters, where the shape has a fixed length
};

constexpr std::array<FieldKind, 16> kFields{{
    {"stem", Shape::text, 0},
    {"title", Shape::text, 0},
    {"code", Shape::code, 4},
    {"maker", Shape::code, 2},
    {"serial", Shape::serial, 0},
    {"region", Shape::region, 0},
    {"title_id", Shape::hex, 16},
    {"label", Shape::text, 0},
    {"slot", Shape::slot, 0},
    {"account", Shape::hex, 8},
    {"profile", Shape::hex, 16},
    {"crc32", Shape::hex, 8},
    {"md5", Shape::hex, 32},
    {"sha1", Shape::hex, 40},
    {"folder", Shape::folders, 0},
    {"copy", Shape::text, 0},
}};

const FieldKind& kind_of(std::string_view name) {
  return *std::find_if(kFields.begin(), kFields.end(),
                       [&](const FieldKind& kind) { return kind.name == name; });
}

bool allowed(Change::Op op, Shape shape, bool title_id) {
  using Op = Change::Op;
  switch (op) {
    case Op::upper:
    case Op::lower: return shape != Shape::slot && shape != Shape::folders;
    case Op::hex: return shape == Shape::text || shape == Shape::code || shape == Shape::serial;
    case Op::high:
    case Op::low: return title_id;
    case Op::pad:
    case Op::first:
    case Op::from:
    case Op::tens:
    case Op::letters: return shape == Shape::slot;
  }
  return false;
}

tl::expected<Change, Complaint> parse_change(std::string_view text) {
  using Op = Change::Op;
  static constexpr std::array<std::pair<std::string_view, Op>, 5> kPlain{{
      {"upper", Op::upper},
      {"lower", Op::lower},
      {"hex", Op::hex},
      {"high", Op::high},
      {"low", Op::low},
  }};
  for (const auto& [name, op] : kPlain)
    if (text == name) return Change{op, 0, {}};
  const std::size_t space = text.find(' ');
  const std::string_view word = text.substr(0, space);
  const std::string_view rest = space == std::string_view::npos ? "" : text.substr(space + 1);
  if (word == "first" && space != std::string_view::npos)
    return Change{Op::first, 0, std::string(rest)};
  if (word == "tens" && rest.size() == 1) return Change{Op::tens, 0, std::string(rest)};
  if (word == "letters" && (rest == "a" || rest == "A"))
    return Change{Op::letters, 0, std::string(rest)};
  if (word == "pad" || word == "from") {
    unsigned number = 0;
    const auto [end, problem] = std::from_chars(rest.data(), rest.data() + rest.size(), number);
    const bool whole = problem == std::errc{} && end == rest.data() + rest.size();
    const unsigned most = word == "pad" ? 9 : kMaxSlot;
    if (!whole || number > most || (word == "pad" && number == 0))
      return tl::unexpected(fmt::format("'{}' wants a number up to {}", word, most));
    return Change{word == "pad" ? Op::pad : Op::from, number, {}};
  }
  return tl::unexpected(fmt::format(
      "there is no change '{}' (there are upper, lower, hex, high, low, pad N, first A, from N, "
      "tens A, letters A)",
      safe_text(text)));
}

unsigned slot_offset(const Field& field) {
  const Change* from = field.change(Change::Op::from);
  return from == nullptr ? 0 : from->number;
}

std::vector<Spelling> slot_spellings(const Field& field) {
  std::vector<Spelling> found;
  const Change* pad = field.change(Change::Op::pad);
  const Change* first = field.change(Change::Op::first);
  if (first != nullptr) found.push_back(literal(first->text));
  const std::size_t width = pad == nullptr ? 1 : pad->number;
  const bool zero_shown = first == nullptr && slot_offset(field) == 0;
  const CharClass ones = zero_shown ? digits() : range('1', '9');
  if (const Change* tens = field.change(Change::Op::tens)) {
    Spelling small = literal(tens->text);
    small.push_back({ones, 1, 1});
    found.push_back(std::move(small));
    found.push_back({{range('1', '9'), 1, 1}, {digits(), 1, 4}});
    return found;
  }
  if (const Change* letter = field.change(Change::Op::letters)) {
    found.push_back({{ones | letters(letter->text == "a"), 1, 1}});
    return found;
  }
  if (width == 1) {
    if (zero_shown) found.push_back(literal("0"));
    found.push_back({{range('1', '9'), 1, 1}, {digits(), 0, 4}});
  } else {
    found.push_back({{digits(), width, width}});
    found.push_back({{range('1', '9'), 1, 1}, {digits(), width, width + 4}});
  }
  return found;
}

tl::expected<std::string, Complaint> build_slot(const Field& field, std::string_view value) {
  unsigned slot = 0;
  const auto [end, problem] = std::from_chars(value.data(), value.data() + value.size(), slot);
  if (problem != std::errc{} || end != value.data() + value.size() || slot > kMaxSlot ||
      std::to_string(slot) != value)
    return tl::unexpected(fmt::format("'{}' is not a slot number", safe_text(value)));
  const Change* first = field.change(Change::Op::first);
  if (slot == 0 && first != nullptr) return first->text;
  const unsigned shown = slot + slot_offset(field);
  if (const Change* tens = field.change(Change::Op::tens); tens != nullptr && shown < kTen)
    return fmt::format("{}{}", tens->text, shown);
  if (const Change* letter = field.change(Change::Op::letters)) {
    if (shown >= kTen + kLetters)
      return tl::unexpected(fmt::format("slot {} has no letter", safe_text(value)));
    if (shown >= kTen)
      return std::string(1,
                         static_cast<char>(letter->text.front() + static_cast<int>(shown - kTen)));
    return std::to_string(shown);
  }
  const Change* pad = field.change(Change::Op::pad);
  return fmt::format("{:0{}}", slot + slot_offset(field), pad == nullptr ? 1 : pad->number);
}

std::optional<std::string> slot_of_text(const Field& field, std::string_view text) {
  const Change* first = field.change(Change::Op::first);
  if (first != nullptr && text == first->text) return "0";
  unsigned shown = 0;
  const Change* tens = field.change(Change::Op::tens);
  const Change* letter = field.change(Change::Op::letters);
  if (tens != nullptr && text.starts_with(tens->text)) text.remove_prefix(tens->text.size());
  if (letter != nullptr && text.size() == 1 && text.front() >= letter->text.front())
    return std::to_string(kTen + static_cast<unsigned>(text.front() - letter->text.front()) -
                          slot_offset(field));
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), shown);
  const unsigned least = slot_offset(field) + (first == nullptr ? 0 : 1);
  if (problem != std::errc{} || end != text.data() + text.size() || shown < least)
    return std::nullopt;
  return std::to_string(shown - slot_offset(field));
}

std::string unhex(std::string_view text) {
  std::string out;
  for (std::size_t i = 0; i + 1 < text.size(); i += 2) {
    unsigned value = 0;
    std::from_chars(text.data() + i, text.data() + i + 2, value, 16);
    out.push_back(static_cast<char>(value));
  }
  return out;
}

bool all_of_class(std::string_view text, const CharClass& chars) {
  return std::all_of(text.begin(), text.end(),
                     [&](char c) { return chars.test(static_cast<unsigned char>(c)); });
}

bool fits(const FieldKind& kind, std::string_view value) {
  switch (kind.shape) {
    case Shape::text: return !value.empty() && all_of_class(value, free_text());
    case Shape::code:
      return value.size() == kind.length && all_of_class(value, digits() | letters(false));
    case Shape::serial: return is_serial(value);
    case Shape::region: return parse_region(value).has_value();
    case Shape::hex: return value.size() == kind.length && all_of_class(value, hex_digits(false));
    case Shape::slot: return true;
    case Shape::folders: return !value.empty() && all_of_class(value, folders_text());
  }
  return false;
}

struct Casing {
  bool hex = false;
  bool upper = false;
  bool lower = false;
};

// The case that the text ends up with: the last change of case wins, and hex starts anew.
Casing casing_of(const Field& field) {
  Casing casing;
  for (const Change& change : field.changes) {
    if (change.op == Change::Op::hex) casing = {true, false, false};
    if (change.op == Change::Op::upper) casing = {casing.hex, true, false};
    if (change.op == Change::Op::lower) casing = {casing.hex, false, true};
  }
  return casing;
}

std::vector<Spelling> word_spellings(const FieldKind& kind, const Field& field) {
  const Casing casing = casing_of(field);
  if (casing.hex) {
    const CharClass chars = hex_digits(casing.upper);
    if (kind.shape == Shape::code) return {{{chars, kind.length * 2, kind.length * 2}}};
    return {{{chars, 2, 0}}};
  }
  const CharClass capitals = letters(casing.lower);
  switch (kind.shape) {
    case Shape::code: return {{{digits() | capitals, kind.length, kind.length}}};
    case Shape::serial:
      return {{{capitals, 4, 4}, {digits(), 5, 5}},
              {{capitals, 4, 4}, {range('-', '-'), 1, 1}, {digits(), 5, 5}}};
    case Shape::hex: {
      const bool half = field.change(Change::Op::high) || field.change(Change::Op::low);
      const std::size_t length = half ? 8 : kind.length;
      return {{{hex_digits(casing.upper), length, length}}};
    }
    case Shape::region: {
      std::vector<Spelling> words;
      for (const Region region : {Region::america, Region::europe, Region::japan, Region::korea,
                                  Region::other, Region::any}) {
        const std::string_view word = to_string(region);
        words.push_back(literal(casing.upper ? upper_ascii(word) : std::string(word)));
      }
      return words;
    }
    case Shape::folders: return {{{folders_text(), 1, 0}}};
    default: return {{{free_text(), 1, 0}}};
  }
}

}  // namespace

const Change* Field::change(Change::Op op) const {
  const auto found =
      std::find_if(changes.begin(), changes.end(), [&](const Change& c) { return c.op == op; });
  return found == changes.end() ? nullptr : &*found;
}

bool Field::loses() const {
  if (change(Change::Op::high) || change(Change::Op::low)) return true;
  if (kind_of(name).shape != Shape::text) return false;
  // A change of case loses the spelling unless hex digits come later or came before.
  bool folded = false;
  for (const Change& c : changes) {
    if (c.op == Change::Op::hex) break;
    folded = folded || c.op == Change::Op::upper || c.op == Change::Op::lower;
  }
  return folded;
}

tl::expected<Field, Complaint> parse_field(std::string_view text) {
  Field field;
  std::size_t colon = text.find(':');
  field.name = std::string(text.substr(0, colon));
  const auto kind = std::find_if(kFields.begin(), kFields.end(),
                                 [&](const FieldKind& k) { return k.name == field.name; });
  if (kind == kFields.end()) {
    std::vector<std::string> names;
    for (const FieldKind& k : kFields) names.emplace_back(k.name);
    return tl::unexpected(fmt::format("there is no field '{}' (there are {})",
                                      safe_text(field.name), list_text(names)));
  }
  while (colon != std::string_view::npos) {
    const std::size_t next = text.find(':', colon + 1);
    const auto change = parse_change(
        text.substr(colon + 1, next == std::string_view::npos ? next : next - colon - 1));
    if (!change) return tl::unexpected(change.error());
    if (!allowed(change->op, kind->shape, field.name == "title_id"))
      return tl::unexpected(fmt::format("that change does not go with '{}'", field.name));
    const bool is_case = change->op == Change::Op::upper || change->op == Change::Op::lower;
    if (!is_case && field.change(change->op) != nullptr)
      return tl::unexpected(Complaint("the same change stands twice"));
    field.changes.push_back(*change);
    colon = next;
  }
  if (field.change(Change::Op::high) && field.change(Change::Op::low))
    return tl::unexpected(Complaint("'high' and 'low' exclude each other"));
  if (field.change(Change::Op::pad) != nullptr || field.change(Change::Op::letters) != nullptr)
    if (field.change(Change::Op::tens) != nullptr ||
        (field.change(Change::Op::pad) != nullptr && field.change(Change::Op::letters) != nullptr))
      return tl::unexpected(Complaint("'pad', 'tens' and 'letters' exclude each other"));
  const Change* first = field.change(Change::Op::first);
  if (first != nullptr && !all_of_class(first->text, free_text()))
    return tl::unexpected(Complaint("the text of 'first' cannot stand in a file name"));
  return field;
}

std::vector<Spelling> spellings(const Field& field) {
  return field.is_slot() ? slot_spellings(field) : word_spellings(kind_of(field.name), field);
}

tl::expected<std::string, Complaint> build_text(const Field& field, std::string_view value) {
  if (field.is_slot()) return build_slot(field, value);
  if (!fits(kind_of(field.name), value))
    return tl::unexpected(
        fmt::format("'{}' cannot be a {} in a file name", safe_text(value), field.name));
  std::string text(value);
  for (const Change& change : field.changes) {
    switch (change.op) {
      case Change::Op::upper: text = upper_ascii(text); break;
      case Change::Op::lower: text = lower_ascii(text); break;
      case Change::Op::hex: text = hex_text(as_bytes(text)); break;
      case Change::Op::high: text = text.substr(0, 8); break;
      case Change::Op::low: text = text.substr(8); break;
      default: break;
    }
  }
  return text;
}

std::optional<std::string> value_of_text(const Field& field, std::string_view text) {
  if (field.is_slot()) return slot_of_text(field, text);
  if (field.loses()) return std::nullopt;
  const FieldKind& kind = kind_of(field.name);
  const Casing casing = casing_of(field);
  std::string value(text);
  if (casing.hex) {
    if (text.size() % 2 != 0) return std::nullopt;
    value = unhex(text);
  }
  if (kind.shape == Shape::code || kind.shape == Shape::serial) value = upper_ascii(value);
  if (kind.shape == Shape::region || kind.shape == Shape::hex) value = lower_ascii(value);
  if (!fits(kind, value)) return std::nullopt;
  return value;
}

}  // namespace bayswap::naming
