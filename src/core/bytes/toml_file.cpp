#include "core/bytes/toml_file.h"

// The library's own checks end the program where a hostile file breaks its parser's expectations;
// it gives an error for those files all the same.
#define TOML_ASSERT(condition) static_cast<void>(0)

#include <fmt/core.h>
#include <toml++/toml.h>

#include <algorithm>
#include <sstream>

#include "core/bytes/text.h"

namespace bayswap {

namespace {

// Each dot in a key is a table in a table, and the library walks them by recursion.
bool is_too_deep(std::string_view text) {
  constexpr int kMostDots = 32;
  int dots = 0;
  char quote = 0;
  for (std::size_t at = 0; at < text.size(); ++at) {
    const char c = text[at];
    if (quote != 0) {
      if (c == '\\' && quote == '"') ++at;
      if (c == quote || c == '\n') quote = 0;
      continue;
    }
    if (c == '"' || c == '\'') quote = c;
    if (c == '#')
      while (at + 1 < text.size() && text[at + 1] != '\n') ++at;
    if (c == '\n' || c == '=' || c == ',' || c == '{' || c == '[') dots = 0;
    if (c == '.' && ++dots > kMostDots) return true;
  }
  return false;
}

// Behind a text in quotes that begins there; at its end where it has none.
std::size_t behind_quotes(std::string_view text, std::size_t at) {
  const char quote = text[at];
  const std::string three(3, quote);
  const bool long_one = text.substr(at).starts_with(three);
  for (at += long_one ? 3 : 1; at < text.size(); ++at) {
    if (text[at] == '\\' && quote == '"')
      ++at;
    else if (long_one ? text.substr(at).starts_with(three) : text[at] == quote)
      return at + (long_one ? 3 : 1);
    else if (text[at] == '\n' && !long_one)
      return at;
  }
  return text.size();
}

// In the middle of a word it is a part of it.
bool may_begin_quotes(std::string_view text, std::size_t at) {
  return at == 0 || std::string_view(" \t\r\n=[,{.").find(text[at - 1]) != std::string_view::npos;
}

// Outside of quotes and comments TOML is ASCII, and the library expects that it is. The place of
// the first letter that is not.
std::optional<std::size_t> strange_letter(std::string_view text) {
  for (std::size_t at = text.starts_with("\xEF\xBB\xBF") ? 3 : 0; at < text.size();) {
    const char c = text[at];
    if (c == '#') {
      at = std::min(text.find('\n', at), text.size());
    } else if ((c == '"' || c == '\'') && may_begin_quotes(text, at)) {
      const std::size_t end = behind_quotes(text, at);
      // Nor is there an escape for such a letter.
      for (std::size_t i = at; c == '"' && i + 1 < end; ++i)
        if (text[i] == '\\' && static_cast<unsigned char>(text[++i]) >= 0x80) return i;
      at = end;
    } else if (static_cast<unsigned char>(c) >= 0x80) {
      return at;
    } else {
      ++at;
    }
  }
  return std::nullopt;
}

TomlValue value_of(const toml::node& node) {
  TomlValue value;
  value.line = node.source().begin.line;
  value.column = node.source().begin.column;
  if (const auto* table = node.as_table()) {
    value.kind = TomlValue::Kind::table;
    for (const auto& [key, item] : *table) {
      value.keys.emplace_back(key.str());
      value.items.push_back(value_of(item));
    }
  } else if (const auto* list = node.as_array()) {
    value.kind = TomlValue::Kind::list;
    for (const toml::node& item : *list) value.items.push_back(value_of(item));
  } else if (const auto* text = node.as_string()) {
    value.kind = TomlValue::Kind::text;
    value.text = text->get();
  } else if (const auto* integer = node.as_integer()) {
    value.kind = TomlValue::Kind::integer;
    value.integer = integer->get();
  } else if (const auto* truth = node.as_boolean()) {
    value.kind = TomlValue::Kind::truth;
    value.truth = truth->get();
  }
  return value;
}

}  // namespace

bool TomlValue::is_list_of_tables() const {
  return is_list() && !items.empty() && std::ranges::all_of(items, &TomlValue::is_table);
}

const TomlValue* TomlValue::get(std::string_view key) const {
  const auto at = std::ranges::find(keys, key);
  return at == keys.end() ? nullptr : &items[static_cast<std::size_t>(at - keys.begin())];
}

const std::string* TomlValue::text_at(std::string_view key) const {
  const TomlValue* value = get(key);
  return value != nullptr && value->is_text() ? &value->text : nullptr;
}

Result<TomlValue> parse_toml(std::string_view text, const std::string& name, Code code) {
  if (is_too_deep(text))
    return fail(Trouble::input, Code::too_much,
                fmt::format("{}: a key has more dots than any of Bay Swap's", safe_text(name)),
                "correct the file and try again; nothing was changed");
  if (const auto strange = strange_letter(text)) {
    const std::string_view before = text.substr(0, *strange);
    const auto line = 1 + std::ranges::count(before, '\n');
    const auto column = *strange - (before.rfind('\n') + 1) + 1;  // npos + 1 is 0
    return fail(Trouble::input, code,
                fmt::format("{}: line {}, column {}: a letter that must stand in quotes",
                            safe_text(name), line, column),
                "correct the file and try again; nothing was changed");
  }
  try {
    return value_of(toml::parse(text));
  } catch (const toml::parse_error& problem) {
    return fail(
        Trouble::input, code,
        fmt::format("{}: line {}, column {}: {}", safe_text(name), problem.source().begin.line,
                    problem.source().begin.column, safe_text(problem.description())),
        "correct the file and try again; nothing was changed");
  }
}

tl::unexpected<Error> toml_error(const TomlValue& value, const std::string& name, Code code,
                                 const std::string& reason) {
  return fail(
      Trouble::input, code,
      fmt::format("{}: line {}, column {}: {}", safe_text(name), value.line, value.column, reason),
      "correct the file and try again; nothing was changed");
}

std::string toml_string(std::string_view text) {
  std::ostringstream out;
  out << toml::toml_formatter{toml::value<std::string>(std::string(text)),
                              toml::format_flags::none};
  return out.str();
}

}  // namespace bayswap
