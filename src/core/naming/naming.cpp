#include "bayswap/naming.h"

#include <fmt/core.h>

#include <algorithm>
#include <set>
#include <variant>
#include <vector>

#include "core/bytes/text.h"
#include "core/naming/automaton.h"
#include "core/naming/field_language.h"

namespace bayswap {

using naming::Field;

namespace {

constexpr std::size_t kMaxPattern = 512;
// Of the automaton; whether it is ambiguous takes as many steps as there are pairs of them.
constexpr std::size_t kMostPositions = 1024;

struct Element {
  std::variant<std::string, Field> what;  // literal text or field
  std::size_t position = 0;               // in the pattern, from 0
};

tl::unexpected<Error> bad_pattern(std::string_view text, std::size_t position,
                                  std::string_view reason) {
  return fail(Trouble::input, Code::bad_pattern,
              fmt::format("the naming pattern '{}' cannot be used: at position {}, {}",
                          safe_text(text), position + 1, reason),
              "write a pattern such as saves/{stem}.srm; docs/naming.md lists fields and changes");
}

tl::unexpected<Error> bad_name(std::string_view reason) {
  return fail(Trouble::stopped, Code::bad_name, std::string(reason));
}

bool safe_components(std::string_view path) {
  if (path.empty() || path.front() == '/' || path.back() == '/') return false;
  while (true) {
    const std::size_t slash = path.find('/');
    const std::string_view component = path.substr(0, slash);
    if (component.empty() || component == "." || component == "..") return false;
    if (slash == std::string_view::npos) return true;
    path.remove_prefix(slash + 1);
  }
}

Result<std::vector<Element>> split(std::string_view text) {
  std::vector<Element> elements;
  std::string literal;
  std::size_t literal_at = 0;
  const auto flush = [&] {
    if (!literal.empty()) elements.push_back({literal, literal_at});
    literal.clear();
  };
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    const bool doubled = i + 1 < text.size() && text[i + 1] == c;
    if (static_cast<unsigned char>(c) < 0x20 || c == 0x7F)
      return bad_pattern(text, i, "there is a control character");
    if (c == '}' && !doubled)
      return bad_pattern(text, i, "a '}' has no '{' (write '}}' for a brace)");
    if (c == '{' && !doubled) {
      const std::size_t close = text.find('}', i);
      if (close == std::string_view::npos) return bad_pattern(text, i, "a '{' is never closed");
      auto field = naming::parse_field(text.substr(i + 1, close - i - 1));
      if (!field) return bad_pattern(text, i, field.error());
      flush();
      elements.push_back({std::move(*field), i});
      i = close;
      literal_at = i + 1;
      continue;
    }
    if (literal.empty()) literal_at = i;
    literal.push_back(c);
    if (c == '{' || c == '}') ++i;
  }
  flush();
  return elements;
}

constexpr std::string_view kNoHigh = "00000000";  // of ids that have one half only

// Whether a pattern has the low half of a title id and nothing else of it.
bool is_low_only(const std::vector<Element>& elements) {
  bool low = false;
  for (const Element& element : elements) {
    const Field* field = std::get_if<Field>(&element.what);
    if (field == nullptr || field->name != "title_id") continue;
    if (!field->change(naming::Change::Op::low)) return false;
    low = true;
  }
  return low;
}

// Every field must come back whole: from one occurrence that keeps it, or from both halves. The low
// half alone stands for an id whose high half is zero.
std::optional<std::pair<std::size_t, std::string>> lost_field(
    const std::vector<Element>& elements) {
  for (const Element& element : elements) {
    const Field* field = std::get_if<Field>(&element.what);
    if (field == nullptr) continue;
    bool whole = false;
    bool low = false;
    for (const Element& other : elements) {
      const Field* same = std::get_if<Field>(&other.what);
      if (same == nullptr || same->name != field->name) continue;
      whole = whole || !same->loses();
      low = low || same->change(naming::Change::Op::low);
    }
    if (whole || low) continue;
    const std::string_view why = field->name == "title_id"
                                     ? "only the high half of the title id is in the path"
                                     : "a change of case loses how the name is spelled";
    return std::pair{element.position,
                     fmt::format("'{}' cannot be read back from a path: {}", field->name, why)};
  }
  return std::nullopt;
}

}  // namespace

struct NamingPattern::Compiled {
  std::string text;
  std::vector<Element> elements;
  naming::Automaton automaton;
  bool low_only = false;
};

NamingPattern::NamingPattern(std::shared_ptr<const Compiled> compiled)
    : compiled_(std::move(compiled)) {}

Result<NamingPattern> NamingPattern::parse(std::string_view text) {
  if (text.size() > kMaxPattern)
    return bad_pattern(text.substr(0, 40), kMaxPattern, "it is too long");
  auto elements = split(text);
  if (!elements) return tl::unexpected(elements.error());
  std::string shape;  // the path with fields replaced, to judge folders
  for (const Element& element : *elements) {
    const std::string* literal = std::get_if<std::string>(&element.what);
    shape += literal == nullptr ? "x" : *literal;
  }
  if (!safe_components(shape))
    return bad_pattern(text, 0, "it is not a path below the bay (no empty, '.' or '..' folders)");
  if (const auto lost = lost_field(*elements)) return bad_pattern(text, lost->first, lost->second);

  auto compiled = std::make_shared<Compiled>();
  compiled->text = std::string(text);
  compiled->elements = std::move(*elements);
  compiled->low_only = is_low_only(compiled->elements);
  for (const Element& element : compiled->elements) {
    if (const Field* field = std::get_if<Field>(&element.what)) {
      compiled->automaton.append(naming::spellings(*field));
    } else {
      naming::Spelling spelling;
      for (const char c : std::get<std::string>(element.what)) {
        naming::CharClass chars;
        chars.set(static_cast<unsigned char>(c));
        spelling.push_back({chars, 1, 1});
      }
      compiled->automaton.append({spelling});
    }
  }
  if (compiled->automaton.size() > kMostPositions)
    return bad_pattern(text.substr(0, 40), 0, "there are too many fields in it");
  if (const auto element = compiled->automaton.ambiguous_element())
    return bad_pattern(text, compiled->elements[*element].position,
                       "one path could be read in two ways from here; put a text between the "
                       "fields that cannot be part of them, such as '/'");
  return NamingPattern(std::move(compiled));
}

Result<std::string> NamingPattern::build(const Fields& fields) const {
  std::string path;
  for (const Element& element : compiled_->elements) {
    const Field* field = std::get_if<Field>(&element.what);
    if (field == nullptr) {
      path += std::get<std::string>(element.what);
      continue;
    }
    const auto value = fields.find(field->name);
    if (value == fields.end())
      return bad_name(fmt::format("the pattern '{}' needs a {}, and none is known", compiled_->text,
                                  field->name));
    if (compiled_->low_only && field->name == "title_id" && !value->second.starts_with(kNoHigh))
      return bad_name(fmt::format("the pattern '{}' has no place for the high half of title id {}",
                                  compiled_->text, safe_text(value->second)));
    const auto text = naming::build_text(*field, value->second);
    if (!text) return bad_name(text.error());
    path += *text;
  }
  if (!safe_components(path))
    return bad_name(fmt::format("'{}' would leave the bay", safe_text(path)));
  return path;
}

std::optional<Fields> NamingPattern::match(std::string_view path) const {
  // Most names of a place begin otherwise than most of its patterns.
  if (const auto* start = std::get_if<std::string>(&compiled_->elements.front().what))
    if (!path.starts_with(*start)) return std::nullopt;
  const auto pieces = compiled_->automaton.read(path);
  if (!pieces) return std::nullopt;
  Fields fields;
  std::string high;
  std::string low;
  for (std::size_t i = 0; i < compiled_->elements.size(); ++i) {
    const Field* field = std::get_if<Field>(&compiled_->elements[i].what);
    if (field == nullptr) continue;
    if (field->change(naming::Change::Op::high)) high = lower_ascii((*pieces)[i]);
    if (field->change(naming::Change::Op::low)) low = lower_ascii((*pieces)[i]);
    if (field->loses()) continue;
    auto value = naming::value_of_text(*field, (*pieces)[i]);
    if (!value) return std::nullopt;
    fields.insert_or_assign(field->name, std::move(*value));
  }
  if (compiled_->low_only) high = kNoHigh;
  if (!high.empty() && !low.empty()) fields.try_emplace("title_id", high + low);
  // A field that stands twice must say the same both times.
  const auto rebuilt = build(fields);
  if (!rebuilt || *rebuilt != path) return std::nullopt;
  return fields;
}

bool NamingPattern::uses_fields() const {
  return std::ranges::any_of(compiled_->elements, [](const Element& element) {
    return std::holds_alternative<Field>(element.what);
  });
}

bool NamingPattern::uses(std::string_view wanted) const {
  for (const Element& element : compiled_->elements) {
    const Field* field = std::get_if<Field>(&element.what);
    if (field != nullptr && field->name == wanted) return true;
  }
  return false;
}

const std::string& NamingPattern::text() const {
  return compiled_->text;
}

}  // namespace bayswap
