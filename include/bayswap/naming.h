// Naming patterns: text with {fields} that turns a game into a path, and a path into a game.
//
// Library bayswap_core. Patterns are immutable and may be used from several threads.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>

#include "bayswap/result.h"

#pragma GCC visibility push(default)

namespace bayswap {

/// Field values by field name: `stem`, `title`, `code`, `maker`, `serial`, `region`, `title_id`,
/// `label`, `slot`, `account`, `profile`; of the ROM its `folder` (one or more, relative to the
/// ROMs' folder of the shelf) and the hashes of its whole content in lower-case hex: `crc32`,
/// `md5`, `sha1`.
using Fields = std::map<std::string, std::string, std::less<>>;

/// A parsed pattern, such as `saves/{stem}.srm` or `{stem}.state{slot:first }`.
///
/// `{field}` stands for a value, `{field:change:change}` for a changed one; `{{` and `}}` are
/// literal braces. Changes: `upper`, `lower`, `hex` (the bytes as hex digits), `high` and `low`
/// (halves of a title id), `pad N` (zeros in front of a slot), `first A` (the text of slot 0),
/// `from N` (slot 0 is written N), `tens A` (a letter in front of numbers below ten), `letters A`
/// (letters for numbers from ten on). Every pattern that parse() accepts can be read back: for all
/// fields f that build() accepts, match(build(f)) gives f.
class NamingPattern {
 public:
  /// Errors: `bad-pattern`, with the position (counted from 1) and the reason.
  [[nodiscard]] static Result<NamingPattern> parse(std::string_view text);

  /// The relative path for these values, with `/` between folders. Errors: `bad-name` when a value
  /// is missing, does not fit its field, or would leave the folder.
  [[nodiscard]] Result<std::string> build(const Fields& fields) const;

  /// The values in a relative path; nothing when the path does not fit.
  [[nodiscard]] std::optional<Fields> match(std::string_view path) const;

  [[nodiscard]] bool uses(std::string_view field) const;
  /// False for one fixed path.
  [[nodiscard]] bool uses_fields() const;
  [[nodiscard]] const std::string& text() const;

 private:
  struct Compiled;
  explicit NamingPattern(std::shared_ptr<const Compiled> compiled);
  std::shared_ptr<const Compiled> compiled_;
};

}  // namespace bayswap

#pragma GCC visibility pop
