// TOML files of the user, with errors that point at the place.
#pragma once

#include <toml++/toml.h>

#include <string>
#include <string_view>

#include "bayswap/result.h"

namespace bayswap {

[[nodiscard]] Result<toml::table> parse_toml(std::string_view text, const std::string& name,
                                             const std::string& code);

/// An error at a node of a parsed file.
[[nodiscard]] tl::unexpected<Error> toml_error(const toml::node& node, const std::string& name,
                                               const std::string& code, const std::string& reason);

/// The text as a TOML string with its quotes.
[[nodiscard]] std::string toml_string(std::string_view text);

}  // namespace bayswap
