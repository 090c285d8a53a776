#include "bays/toml_file.h"

#include <fmt/format.h>

#include <sstream>

#include "bytes/text.h"

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

}  // namespace

Result<toml::table> parse_toml(std::string_view text, const std::string& name,
                               const std::string& code) {
  if (is_too_deep(text))
    return fail(Trouble::input, "too-much",
                fmt::format("{}: a key has more dots than any of Bay Swap's", safe_text(name)),
                "correct the file and try again; nothing was changed");
  try {
    return toml::parse(text);
  } catch (const toml::parse_error& problem) {
    return fail(
        Trouble::input, code,
        fmt::format("{}: line {}, column {}: {}", safe_text(name), problem.source().begin.line,
                    problem.source().begin.column, safe_text(problem.description())),
        "correct the file and try again; nothing was changed");
  }
}

tl::unexpected<Error> toml_error(const toml::node& node, const std::string& name,
                                 const std::string& code, const std::string& reason) {
  return fail(Trouble::input, code,
              fmt::format("{}: line {}, column {}: {}", safe_text(name), node.source().begin.line,
                          node.source().begin.column, reason),
              "correct the file and try again; nothing was changed");
}

std::string toml_string(std::string_view text) {
  std::ostringstream out;
  out << toml::toml_formatter{toml::value<std::string>(std::string(text)),
                              toml::format_flags::none};
  return out.str();
}

}  // namespace bayswap
