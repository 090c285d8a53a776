// One look for all commands: colours, columns and wrapped text.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "bayswap/finding.h"

namespace bayswap::cli {

enum class Tone { plain, title, quiet, good, warn, bad, key };

class Style {
 public:
  /// `whole_names`: nothing is shortened, since no person reads it at a terminal.
  Style(bool colour, std::size_t width, bool whole_names = false)
      : colour_(colour), width_(width), whole_names_(whole_names) {}
  [[nodiscard]] std::string paint(Tone tone, std::string_view text) const;
  [[nodiscard]] std::size_t width() const { return width_; }
  [[nodiscard]] bool colour() const { return colour_; }
  /// The text, or a text of at most so many columns whose middle is left out by whole characters;
  /// an extension stays.
  [[nodiscard]] std::string fitted(const std::string& text, std::size_t columns) const;
  /// The same of a path: folders in front go first, and the file's name last.
  [[nodiscard]] std::string fitted_path(const std::string& path, std::size_t columns) const;

 private:
  bool colour_;
  std::size_t width_;
  bool whole_names_;
};

/// Columns that a text takes on a terminal.
[[nodiscard]] std::size_t columns_of(std::string_view text);

/// The text in lines of at most `width` columns; lines after the first are indented.
[[nodiscard]] std::string wrapped(std::string_view text, std::size_t width, std::size_t indent);

/// An arrow and what to do, in lines as above; a command to type stays on one line.
[[nodiscard]] std::string hint_lines(const Hint& hint, const Style& style, std::size_t indent);

/// Text with its right side filled with blanks.
[[nodiscard]] std::string padded(std::string_view text, std::size_t columns);

/// A mark, the text, and what to do about it.
[[nodiscard]] std::string finding_text(const Finding& finding, const Style& style,
                                       std::size_t indent);

/// Several findings; what to do is said once where neighbours agree on it.
[[nodiscard]] std::string findings_text(const Findings& findings, const Style& style,
                                        std::size_t indent);

/// A cell per number (percent filled): ` ▁▂▃▄▅▆▇█`.
[[nodiscard]] std::string strip_text(const std::vector<unsigned>& cells, const Style& style);

/// A path made safe, the part below the current folder only.
[[nodiscard]] std::string path_text(const std::string& path);

}  // namespace bayswap::cli
