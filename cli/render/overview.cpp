#include "cli/render/overview.h"
#include "cli/render/text.h"

#include "cli/render/remedies.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/bytes/text.h"
#include "places/walk.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kKindColumn = 8;
constexpr std::size_t kNameColumn = 28;
constexpr std::size_t kRegionColumn = 8;
constexpr std::size_t kSizeColumn = 10;
constexpr std::size_t kAgeColumn = 9;
constexpr std::size_t kHealthColumn = 9;

struct Health {
  Tone tone = Tone::good;
  const char* mark = "✓";
  const char* word = "sound";
};

Health health_of(const OverviewRow& row) {
  bool warned = false;
  for (const Finding& finding : row.findings) {
    if (finding.level == Level::error) return {Tone::bad, "✗", "damaged"};
    warned = warned || finding.level == Level::warn;
  }
  if (row.kind == Kind::state) return {Tone::quiet, "·", "state"};
  if (row.unclear && !row.blank) return {Tone::quiet, "?", "unclear"};
  if (row.blank) return {Tone::warn, "!", "blank"};
  if (warned) return {Tone::warn, "!", "see below"};
  return {};
}

std::string kind_text(const OverviewRow& row) {
  if (!row.kind) return "?";
  if (*row.kind == Kind::card_save)
    return row.saves > 0 ? fmt::format("card ({})", row.saves) : "card";
  return std::string(to_string(*row.kind));
}

// Large places have tens of thousands of ages: no format text is read for each.
std::string rounded(double number, const char* unit) {
  return std::to_string(static_cast<long>(std::nearbyint(number))) + unit;
}

std::string age_cell(std::int64_t modified_ns, std::int64_t now_ns) {
  std::string age = modified_ns == 0 ? std::string() : age_text(now_ns - modified_ns);
  age.resize(std::max(age.size(), kAgeColumn), ' ');
  return age;
}

// Adds the line of a row.
void add_line(std::string& text, const OverviewRow& row, const std::string& root,
              std::int64_t now_ns, const Style& style) {
  const Health health = health_of(row);
  const std::string inside = text_below(root, row.path);
  text += "  " + style.paint(health.tone, health.mark) + " ";
  text += padded(kind_text(row), kKindColumn) + " ";
  text += style.paint(Tone::title,
                      padded(style.fitted(safe_text(row.name), kNameColumn), kNameColumn)) +
          " ";
  text += padded(std::string(to_string(row.region)), kRegionColumn) + " ";
  text += padded(size_text(row.size), kSizeColumn) + " ";
  text += age_cell(row.modified_ns, now_ns) + " ";
  text += style.paint(health.tone, padded(health.word, kHealthColumn)) + " ";
  constexpr std::size_t kUsed =
      4 + kKindColumn + kNameColumn + kRegionColumn + kSizeColumn + kAgeColumn + kHealthColumn + 6;
  const std::string path = safe_text(inside.empty() || inside == "." ? row.path : inside);
  constexpr std::size_t kLeast = 12;
  const std::size_t left = std::max(style.width(), kUsed + kLeast) - kUsed;
  text += style.paint(Tone::quiet, style.fitted_path(path, left));
  while (text.ends_with(' ')) text.pop_back();
  text += '\n';
}

// Adds the lines of the rows, each system's under its name.
void add_lines(std::string& text, const std::vector<const OverviewRow*>& saves,
               const std::string& root, std::int64_t now_ns, const Style& style) {
  for (std::size_t i = 0; i < saves.size(); ++i) {
    const OverviewRow& row = *saves[i];
    if (i == 0 || saves[i - 1]->system != row.system)
      text += style.paint(Tone::key, row.system ? to_string(*row.system) : "not told") + "\n";
    add_line(text, row, root, now_ns, style);
  }
}

// The last name of a path without its extension.
std::string stem_text(std::string_view path) {
  const std::string_view name = path.substr(path.rfind('/') + 1);
  const std::size_t dot = name.rfind('.');
  return std::string(dot == 0 || name == ".." ? name : name.substr(0, dot));
}

std::string heading(const Style& style) {
  return style.paint(Tone::quiet,
                     "    " + padded("kind", kKindColumn) + " " + padded("game", kNameColumn) +
                         " " + padded("region", kRegionColumn) + " " + padded("size", kSizeColumn) +
                         " " + padded("age", kAgeColumn) + " " + padded("health", kHealthColumn) +
                         " file") +
         "\n";
}

bool is_rom(const OverviewRow& row) {
  return row.kind == Kind::rom;
}

}  // namespace

Hint hint_for(const Finding& finding, const std::string& path) {
  Hint hint;
  for (const HintPiece& piece : finding.hint.pieces())
    hint += piece.is_remedy && piece.remedy == Remedy::mend_card
                ? HintPiece{Remedy::mend_card, safe_text(path)}
                : piece;
  return hint;
}

std::string age_text(std::int64_t ns) {
  const double hours = static_cast<double>(ns) / 3.6e12;
  if (hours < 0) return "ahead";
  if (hours < 1) return "minutes";
  if (hours < 48) return rounded(hours, " h");
  const double days = hours / 24;
  if (days < 61) return rounded(days, " days");
  constexpr double kMonth = 30.44;
  const double months = days / kMonth;
  if (months < 24) return rounded(months, " months");
  return rounded(months / 12, " years");
}

OverviewRow row_of(const Item& item) {
  OverviewRow row;
  row.system = item.system;
  row.kind = item.kind;
  row.region = item.game.region;
  row.size = item.size;
  row.modified_ns = item.file_modified_ns;
  row.path = item.path;
  row.blank = item.blank.value_or(false);
  row.unclear = item.layout.empty() && !item.candidates.empty();
  row.known = row.unclear || item.kind.has_value() || !item.layout.empty() || item.archive;
  row.saves = item.package ? 0 : item.saves.size();
  row.findings = item.findings;
  const std::string file = stem_text(item.path);
  row.name = item.package && !item.comment.empty() ? item.comment : item.game.title;
  if (row.name.empty()) row.name = item.comment.substr(0, item.comment.find('\n'));
  if (row.name.empty() && item.kind == Kind::folder && !item.game.title_id.empty())
    row.name = title_id_text(item.game) + (item.game.profile.empty() ? "" : " · " + item.name);
  if (row.name.empty()) row.name = item.name;
  if (row.name.empty() && item.card && item.saves.size() == 1) row.name = item.saves[0].game.title;
  if (row.name.empty()) row.name = file;
  if (item.archive) row.name = file + " (packed)";
  row.sort_name = lower_ascii(row.name);
  return row;
}

std::string overview_of(const std::deque<OverviewRow>& rows, std::size_t others,
                        const std::string& root, std::int64_t now_ns, const Style& style) {
  std::size_t roms = 0;
  std::size_t unclear = 0;
  std::vector<const OverviewRow*> saves;
  for (const OverviewRow& row : rows) {
    if (is_rom(row))
      ++roms;
    else if (!row.known)
      ++others;
    else
      saves.push_back(&row);
    unclear += row.unclear ? 1 : 0;
  }
  const auto order = [](const OverviewRow* row) {
    return std::tuple(!row->system, row->system.value_or(System::a2600),
                      std::string_view(row->sort_name));
  };
  std::ranges::stable_sort(saves, {}, order);
  std::string text;
  text = style.paint(Tone::title, path_text(root)) + "  " +
         style.paint(Tone::quiet, counted(saves.size() - unclear, "save") + ", " +
                                      (unclear > 0 ? fmt::format("{} unclear, ", unclear) : "") +
                                      counted(roms, "ROM") + ", " + counted(others, "other file")) +
         "\n";
  if (!saves.empty()) text += heading(style);
  add_lines(text, saves, root, now_ns, style);
  Findings findings;
  for (const OverviewRow& row : rows)
    for (const Finding& finding : row.findings) {
      if (finding.level == Level::note) continue;
      const std::string inside = text_below(root, row.path);
      findings.push_back(
          {finding.level, finding.code,
           fmt::format("{}: {}", inside.empty() || inside == "." ? row.path : inside, finding.text),
           hint_for(finding, row.path)});
    }
  // What is alike stands together, so that what to do is said once.
  std::ranges::stable_sort(findings, [](const Finding& a, const Finding& b) {
    return std::pair(a.level != Level::error, hint_text(a.hint)) <
           std::pair(b.level != Level::error, hint_text(b.hint));
  });
  if (!findings.empty())
    text += "\n" + style.paint(Tone::title, counted(findings.size(), "finding")) + "\n" +
            findings_text(findings, style, 2);
  return text;
}

}  // namespace bayswap::cli
