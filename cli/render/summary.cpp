#include "cli/render/summary.h"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <filesystem>

#include "cli/render/text.h"
#include "core/bytes/text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kSystemColumn = 7;
constexpr std::size_t kTitleColumn = 32;

enum class Fate { moved, planned, there, newer, stopped };

Fate fate_of(const MoveReport& move) {
  if (move.status == MoveStatus::stopped) {
    for (const Finding& check : move.checks)
      if (check.level == Level::error && check.code != Code::newer_there) return Fate::stopped;
    return Fate::newer;
  }
  if (move.nothing_to_do) return Fate::there;
  return move.status == MoveStatus::planned ? Fate::planned : Fate::moved;
}

struct Section {
  Fate fate;
  Tone tone;
  const char* mark;
  const char* heading;
};

constexpr std::array<Section, 5> kSections{{
    {Fate::moved, Tone::good, "✓", "moved"},
    {Fate::planned, Tone::key, "○", "would move"},
    {Fate::there, Tone::quiet, "=", "already there"},
    {Fate::newer, Tone::quiet, "·", "left alone: what is there is newer"},
    {Fate::stopped, Tone::bad, "✗", "stopped: none of these was changed"},
}};

std::string where_of(const MoveReport& move) {
  const std::string to = path_text(move.to);
  return move.folder ? to : (move.replaces ? to : to + "  (new)");
}

// The checks that stopped it; what they advise is said once for those that agree.
void add_reasons(const MoveReport& move, Findings& reasons) {
  for (const Finding& check : move.checks)
    if (check.level == Level::error)
      reasons.push_back({Level::error, check.code, title_of(move) + ": " + check.text, check.hint});
}

}  // namespace

std::string summary_text(const CarryReport& report, const Style& style) {
  std::string text;
  std::vector<std::string> counts;
  for (const Section& section : kSections) {
    std::vector<const MoveReport*> moves;
    for (const MoveReport& move : report.moves)
      if (fate_of(move) == section.fate) moves.push_back(&move);
    if (moves.empty()) continue;
    counts.push_back(
        fmt::format("{} {}", moves.size(),
                    std::string_view(section.heading)
                        .substr(0, std::string_view(section.heading).find_first_of(":,"))));
    text += style.paint(section.tone, fmt::format("{} {}", section.mark, section.heading)) + "\n";
    if (section.fate == Fate::stopped) {
      Findings reasons;
      for (const MoveReport* move : moves) add_reasons(*move, reasons);
      text += findings_text(reasons, style, 2);
      continue;
    }
    for (const MoveReport* move : moves) {
      const std::string system = move->system ? std::string(to_string(*move->system)) : "";
      text += "  " + style.paint(Tone::key, padded(system, kSystemColumn)) +
              style.paint(Tone::title, padded(title_of(*move), kTitleColumn)) + "  " +
              style.paint(Tone::quiet, where_of(*move)) + "\n";
    }
  }
  text += (text.empty() ? "" : "\n") +
          (counts.empty() ? std::string("there is nothing to carry") : list_text(counts)) + "\n";
  const bool written = std::ranges::any_of(report.moves, [](const MoveReport& move) {
    return move.status == MoveStatus::done && !move.move.empty();
  });
  if (written) text += style.paint(Tone::quiet, "take it all back with: bayswap undo") + "\n";
  return text;
}

}  // namespace bayswap::cli
