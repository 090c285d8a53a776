#include "cli/render/style.h"

#include <algorithm>
#include <array>
#include <filesystem>
#include <system_error>

#include "cli/render/remedies.h"
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

}  // namespace

std::size_t columns_of(std::string_view text) {
  if (is_plain(text)) return text.size();
  std::size_t columns = 0;
  for (std::size_t at = 0; at < text.size(); at += letter_at(text, at).bytes)
    columns += letter_at(text, at).columns;
  return columns;
}

namespace {

// The beginning of a text in at most so many columns.
std::string_view head_of(std::string_view text, std::size_t columns) {
  std::size_t end = 0;
  std::size_t used = 0;
  while (end < text.size()) {
    const std::size_t bytes = character_bytes(text, end);
    used += columns_of(text.substr(end, bytes));
    if (used > columns) break;
    end += bytes;
  }
  return text.substr(0, end);
}

// The end of a text in at most so many columns.
std::string_view tail_of(std::string_view text, std::size_t columns) {
  std::size_t from = 0;
  while (columns_of(text.substr(from)) > columns) from += character_bytes(text, from);
  return text.substr(from);
}

}  // namespace

std::string Style::fitted(const std::string& text, std::size_t columns) const {
  if (whole_names_ || columns < 3 || columns_of(text) <= columns) return text;
  constexpr std::size_t kLongestExtension = 8;
  const std::size_t room = columns - 1;  // the ellipsis takes one
  const std::size_t dot = text.rfind('.');
  const std::size_t extension =
      dot == std::string::npos || dot == 0 ? 0 : columns_of(std::string_view(text).substr(dot));
  std::size_t behind = room / 3;
  if (extension <= kLongestExtension) behind = std::max(behind, std::min(extension, room));
  const std::string_view tail = tail_of(text, behind);
  return std::string(head_of(text, room - columns_of(tail))) + "…" + std::string(tail);
}

std::string Style::fitted_path(const std::string& path, std::size_t columns) const {
  if (whole_names_ || columns_of(path) <= columns) return path;
  for (std::size_t slash = path.find('/'); slash != std::string::npos;
       slash = path.find('/', slash + 1)) {
    std::string rest = "…" + path.substr(slash);
    if (columns_of(rest) <= columns) return rest;
  }
  const std::size_t name = path.rfind('/') + 1;
  return name == 0 ? fitted(path, columns) : "…/" + fitted(path.substr(name), columns - 2);
}

std::string padded(std::string_view text, std::size_t columns) {
  std::string out(text);
  const std::size_t used = columns_of(text);
  if (used < columns) out.append(columns - used, ' ');
  return out;
}

namespace {

// Words to be laid out in lines. A command to type is one of them: pasted with a line break in it,
// its first half would run.
std::vector<std::string> hint_words(const Hint& hint) {
  std::vector<std::string> words(1);
  for (const HintPiece& piece : hint.pieces()) {
    const std::string text = hint_text(piece);
    const bool whole = piece.is_remedy || text == " ";
    for (const char c : text) {
      if (c == ' ' && !whole)
        words.emplace_back();
      else
        words.back() += c;
    }
  }
  return words;
}

std::string in_lines(const std::vector<std::string>& words, std::size_t width, std::size_t indent) {
  std::string out;
  std::size_t column = indent;
  for (const std::string& unsafe : words) {
    // Names from inside files and of files are in it: no control character gets through.
    const std::string word = safe_text(unsafe);
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

}  // namespace

std::string wrapped(std::string_view text, std::size_t width, std::size_t indent) {
  std::vector<std::string> words;
  while (!text.empty()) {
    const std::size_t space = text.find(' ');
    words.emplace_back(text.substr(0, space));
    text = space == std::string_view::npos ? std::string_view{} : text.substr(space + 1);
  }
  return in_lines(words, width, indent);
}

std::string hint_lines(const Hint& hint, const Style& style, std::size_t indent) {
  return style.paint(Tone::quiet, "→ " + in_lines(hint_words(hint), style.width(), indent + 2)) +
         "\n";
}

std::string finding_text(const Finding& finding, const Style& style, std::size_t indent) {
  const Tone tone = finding.level == Level::error  ? Tone::bad
                    : finding.level == Level::warn ? Tone::warn
                                                   : Tone::quiet;
  const char* mark = finding.level == Level::error  ? "✗ "
                     : finding.level == Level::warn ? "! "
                                                    : "· ";
  const std::string margin(indent, ' ');
  const std::string code =
      finding.level == Level::note ? "" : std::string(to_string(finding.code)) + ": ";
  std::string text =
      margin + style.paint(tone, mark) + style.paint(tone, code) +
      wrapped(finding.text, style.width() - std::min(style.width() / 2, code.size()), indent + 2) +
      "\n";
  if (!finding.hint.empty()) text += margin + "  " + hint_lines(finding.hint, style, indent + 2);
  return text;
}

std::string findings_text(const Findings& findings, const Style& style, std::size_t indent) {
  std::string text;
  for (std::size_t i = 0; i < findings.size(); ++i) {
    Finding finding = findings[i];
    if (i + 1 < findings.size() && findings[i + 1].hint == finding.hint) finding.hint = {};
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
