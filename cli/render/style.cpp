#include "cli/render/style.h"

#include <algorithm>
#include <array>
#include <filesystem>
#include <system_error>

#include "core/bytes/text.h"

namespace bayswap::cli {

std::string Style::paint(Tone tone, std::string_view text) const {
  if (!colour_ || tone == Tone::plain || text.empty()) return std::string(text);
  const char* code = "";
  switch (tone) {
    case Tone::title: code = "1"; break;
    case Tone::quiet: code = "38;5;244"; break;
    case Tone::good: code = "38;5;71"; break;
    case Tone::warn: code = "38;5;178"; break;
    case Tone::bad: code = "1;38;5;167"; break;
    case Tone::key: code = "38;5;67"; break;
    case Tone::plain: break;
  }
  return "\x1b[" + std::string(code) + "m" + std::string(text) + "\x1b[0m";
}

namespace {

// A cell for each byte.
bool is_plain(std::string_view text) {
  return std::ranges::all_of(text, [](char c) { return static_cast<unsigned char>(c) < 0x80; });
}

// East Asian letters that take two cells.
bool is_wide(char32_t point) {
  return (point >= 0x1100 && point <= 0x115F) || (point >= 0x2E80 && point <= 0xA4CF) ||
         (point >= 0xAC00 && point <= 0xD7A3) || (point >= 0xF900 && point <= 0xFAFF) ||
         (point >= 0xFE30 && point <= 0xFE6F) || (point >= 0xFF00 && point <= 0xFF60) ||
         (point >= 0xFFE0 && point <= 0xFFE6);
}

}  // namespace

std::size_t columns_of(std::string_view text) {
  if (is_plain(text)) return text.size();
  std::size_t columns = 0;
  for (std::size_t at = 0; at < text.size();) {
    const auto lead = static_cast<unsigned char>(text[at]);
    const std::size_t length = lead < 0xC0 ? 1 : lead < 0xE0 ? 2 : lead < 0xF0 ? 3 : 4;
    char32_t point = length == 1 ? lead : lead & (0xFFU >> (length + 1));
    for (std::size_t i = 1; i < length && at + i < text.size(); ++i)
      point = point << 6U | (static_cast<unsigned char>(text[at + i]) & 0x3FU);
    columns += is_wide(point) ? 2 : 1;
    at += length;
  }
  return columns;
}

std::string cut_text(const std::string& text, std::size_t columns) {
  if (text.size() <= columns && is_plain(text)) return text;
  std::string line;
  std::size_t used = 0;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t length = 1;
    while (at + length < text.size() &&
           (static_cast<unsigned char>(text[at + length]) & 0xC0U) == 0x80U)
      ++length;
    const std::string letter = text.substr(at, length);
    used += columns_of(letter);
    if (used > columns) {
      if (!line.empty()) line.pop_back();
      while (!line.empty() && (static_cast<unsigned char>(line.back()) & 0xC0U) == 0x80U)
        line.pop_back();
      return line + "…";
    }
    line += letter;
    at += length;
  }
  return line;
}

std::string padded(std::string_view text, std::size_t columns) {
  std::string out(text);
  const std::size_t used = columns_of(text);
  if (used < columns) out.append(columns - used, ' ');
  return out;
}

std::string wrapped(std::string_view text, std::size_t width, std::size_t indent) {
  std::string out;
  std::size_t column = indent;
  while (!text.empty()) {
    const std::size_t space = text.find(' ');
    const std::string_view word = text.substr(0, space);
    text = space == std::string_view::npos ? std::string_view{} : text.substr(space + 1);
    const std::size_t length = columns_of(word);
    if (column > indent && column + 1 + length > width) {
      while (!out.empty() && out.back() == ' ') out.pop_back();
      out += "\n" + std::string(indent, ' ');
      column = indent;
    } else if (column > indent) {
      out.push_back(' ');
      ++column;
    }
    out += word;
    column += length;
  }
  return out;
}

std::string finding_text(const Finding& finding, const Style& style, std::size_t indent) {
  const Tone tone = finding.level == Level::error  ? Tone::bad
                    : finding.level == Level::warn ? Tone::warn
                                                   : Tone::quiet;
  const char* mark = finding.level == Level::error  ? "✗ "
                     : finding.level == Level::warn ? "! "
                                                    : "· ";
  const std::string margin(indent, ' ');
  const std::string code = finding.level == Level::note ? "" : finding.code + ": ";
  std::string text =
      margin + style.paint(tone, mark) + style.paint(tone, code) +
      wrapped(finding.text, style.width() - std::min(style.width() / 2, code.size()), indent + 2) +
      "\n";
  if (!finding.hint.empty())
    text += margin + "  " +
            style.paint(Tone::quiet, "→ " + wrapped(finding.hint, style.width(), indent + 4)) +
            "\n";
  return text;
}

std::string findings_text(const Findings& findings, const Style& style, std::size_t indent) {
  std::string text;
  for (std::size_t i = 0; i < findings.size(); ++i) {
    Finding finding = findings[i];
    if (i + 1 < findings.size() && findings[i + 1].hint == finding.hint) finding.hint.clear();
    text += finding_text(finding, style, indent);
  }
  return text;
}

std::string strip_text(const std::vector<unsigned>& cells, const Style& style) {
  static constexpr std::array<const char*, 8> kSteps{"▁", "▂", "▃", "▄", "▅", "▆", "▇", "█"};
  std::string text;
  for (const unsigned percent : cells)
    text += percent == 0 ? "·" : kSteps[std::min<std::size_t>(7, percent * 8 / 101)];
  return style.paint(Tone::key, text);
}

std::string path_text(const std::string& path) {
  std::error_code problem;
  const std::filesystem::path here = std::filesystem::current_path(problem);
  if (!problem && std::filesystem::path(path).is_absolute()) {
    const std::filesystem::path relative = std::filesystem::path(path).lexically_relative(here);
    if (!relative.empty() && *relative.begin() != "..") return safe_text(relative.string());
  }
  return safe_text(path);
}

}  // namespace bayswap::cli
