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
  Style(bool colour, std::size_t width) : colour_(colour), width_(width) {}
  [[nodiscard]] std::string paint(Tone tone, std::string_view text) const;
  [[nodiscard]] std::size_t width() const { return width_; }
  [[nodiscard]] bool colour() const { return colour_; }

 private:
  bool colour_;
  std::size_t width_;
};

/// Columns that a text takes on a terminal.
[[nodiscard]] std::size_t columns_of(std::string_view text);

/// The text in lines of at most `width` columns; lines after the first are indented.
[[nodiscard]] std::string wrapped(std::string_view text, std::size_t width, std::size_t indent);

/// Text cut to so many columns, with an ellipsis where something is missing.
[[nodiscard]] std::string cut_text(const std::string& text, std::size_t columns);

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
