// TOML files of the user, with errors that point at the place. Only toml_file.cpp sees the library
// that reads them, because that library is slow to compile.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "bayswap/result.h"

namespace bayswap {

/// A value of a TOML file, and where it stands.
struct TomlValue {
  enum class Kind { table, list, text, integer, truth, other };
  Kind kind = Kind::other;
  std::string text;
  std::int64_t integer = 0;
  bool truth = false;
  std::vector<std::string> keys;  ///< of a table, one for each of `items`
  std::vector<TomlValue> items;   ///< of a table or a list
  std::uint32_t line = 0;         ///< from 1
  std::uint32_t column = 0;       ///< from 1

  [[nodiscard]] bool is_table() const { return kind == Kind::table; }
  [[nodiscard]] bool is_list() const { return kind == Kind::list; }
  [[nodiscard]] bool is_text() const { return kind == Kind::text; }
  /// Whether it is a list with something in it, and nothing but tables.
  [[nodiscard]] bool is_list_of_tables() const;
  /// The value of a table's key; null when there is none.
  [[nodiscard]] const TomlValue* get(std::string_view key) const;
  /// The text of a table's key; null when there is no such text.
  [[nodiscard]] const std::string* text_at(std::string_view key) const;
};

/// The table that the file is. Errors: `code`, with line and column.
[[nodiscard]] Result<TomlValue> parse_toml(std::string_view text, const std::string& name,
                                           Code code);

/// An error at a value of a parsed file.
[[nodiscard]] tl::unexpected<Error> toml_error(const TomlValue& value, const std::string& name,
                                               Code code, const std::string& reason);

/// The text as a TOML string with its quotes.
[[nodiscard]] std::string toml_string(std::string_view text);

}  // namespace bayswap
