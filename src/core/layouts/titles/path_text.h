// Paths as lists of names, and the naming patterns that title folders follow.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace bayswap {

[[nodiscard]] std::vector<std::string> names_in(std::string_view path);
[[nodiscard]] std::string last_name(std::string_view path);
[[nodiscard]] bool is_hex_name(std::string_view name, std::size_t length);
/// A name with its braces doubled, so that a pattern takes it as it is.
[[nodiscard]] std::string literal_text(std::string_view text);
/// `{field}` with `upper` where the name has capitals.
[[nodiscard]] std::string hex_field(std::string_view field, std::string_view name);
/// Names with `/` between them.
[[nodiscard]] std::string joined(const std::vector<std::string>& names);

}  // namespace bayswap
