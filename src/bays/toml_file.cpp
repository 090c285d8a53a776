#include "bays/toml_file.h"

#include <fmt/format.h>

#include <sstream>

#include "bytes/text.h"

namespace bayswap {

Result<toml::table> parse_toml(std::string_view text, const std::string& name,
                               const std::string& code) {
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
