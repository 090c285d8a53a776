#include "cli/render/history.h"

#include <fmt/core.h>

#include <algorithm>

#include "cli/render/shell.h"
#include "core/bytes/text.h"
#include "core/bytes/time_text.h"

namespace bayswap::cli {
namespace {

constexpr std::size_t kIdColumn = 7;
constexpr std::size_t kVersionSizeColumn = 12;
constexpr std::size_t kLineStart =
    4 + kIdColumn + 19 + 2 + kVersionSizeColumn;  // mark, id, time, size
constexpr std::size_t kBetween = 3;               // columns of ` · `
constexpr std::size_t kLeast = 24;                // columns of a reason on narrow terminals
constexpr std::size_t kSavesInFull = 40;          // more are listed by their newest version only

std::string version_line(const Version& version, const Style& style) {
  const std::string mark = version.there_now ? style.paint(Tone::good, "✓")
                           : version.whole   ? " "
                                             : style.paint(Tone::warn, "!");
  std::string line =
      fmt::format("  {} {}{}  {}", mark, style.paint(Tone::key, padded(version.id, kIdColumn)),
                  utc_text(version.time_ns), padded(size_text(version.size), kVersionSizeColumn));
  std::string end;
  if (!version.whole) end += ", no longer kept";
  if (version.there_now) end += ", there now";
  const std::size_t used = kLineStart + columns_of(version.change) + columns_of(end);
  const std::size_t room = style.width() > used + kLeast ? style.width() - used : kLeast;
  const std::string reason = style.fitted(version.reason, room - kBetween);
  const std::string marked_end = style.paint(version.whole ? Tone::good : Tone::warn, end);
  // What changed in many words has a line of its own; why it was written stands below.
  if (used + kLeast > style.width() && columns_of(version.change) > kLeast)
    return line + style.fitted(version.change, style.width() - kLineStart - columns_of(end)) +
           marked_end + "\n" + std::string(kLineStart, ' ') +
           style.paint(Tone::quiet, style.fitted(version.reason, style.width() - kLineStart)) +
           "\n";
  if (version.change.empty())
    line += reason;
  else
    line += version.change + style.paint(Tone::quiet, " · " + reason);
  return line + marked_end + "\n";
}

std::string heading(const SaveHistory& save, const Style& style) {
  std::string text = style.paint(
      Tone::title, save.title.empty() ? path_text(save.path.string()) : safe_text(save.title));
  if (!save.bay.empty()) text += style.paint(Tone::quiet, "  " + safe_text(save.bay));
  if (!save.title.empty()) text += style.paint(Tone::quiet, "  " + path_text(save.path.string()));
  return text + "\n";
}

}  // namespace

std::string history_text(const std::vector<SaveHistory>& saves, const Style& style) {
  if (saves.empty())
    return "history is empty; every carry adds to it, and so does: bayswap keep PATH\n";
  std::string text;
  const bool full = saves.size() <= kSavesInFull;
  for (const SaveHistory& save : saves) {
    text += heading(save, style);
    if (!full) {
      text += version_line(save.versions.back(), style);
      continue;
    }
    // The newest first: that is the one people look for.
    for (std::size_t i = save.versions.size(); i-- > 0;)
      text += version_line(save.versions[i], style);
  }
  const SaveHistory& last = saves.front();
  const auto older = std::ranges::find_if(
      last.versions, [](const Version& version) { return !version.there_now && version.whole; });
  if (!full) text += "the versions of one save: bayswap history SAVE\n";
  // A cartridge's save is written by a reader alone.
  if (last.path.string().starts_with("cartridge:"))
    text += style.paint(Tone::quiet,
                        "put one back with: bayswap history export, then bayswap cart write") +
            "\n";
  else if (older != last.versions.end())
    text += style.paint(Tone::quiet, fmt::format("bring one back with: bayswap restore {} --at {}",
                                                 shell_path(last.path.string()), older->id)) +
            "\n";
  return text;
}

std::string kept_text(const KeepReport& report, const Style& style) {
  std::string text;
  constexpr std::size_t kShown = 20;
  std::uint64_t size = 0;
  for (std::size_t i = 0; i < report.kept.size(); ++i) {
    const KeptSave& save = report.kept[i];
    size += save.size;
    if (i >= kShown) continue;
    text += fmt::format("  {} {}{}\n", style.paint(Tone::good, "✓"),
                        style.paint(Tone::key, padded(save.version, kIdColumn)),
                        path_text(save.path.string()));
  }
  if (report.kept.size() > kShown)
    text += fmt::format("    and {} more\n", report.kept.size() - kShown);
  text += findings_text(report.findings, style, 2);
  text += fmt::format("{} kept ({}), {} known already\n", counted(report.kept.size(), "save"),
                      size_text(size), grouped(report.unchanged));
  if (!report.kept.empty())
    text += style.paint(Tone::quiet, "see them with: bayswap history") + "\n";
  return text;
}

std::string tidy_text(const TidyReport& report, bool plan, const Style& style) {
  if (report.versions == 0)
    return "nothing to delete: every version is recent, or among the last of its save\n";
  if (plan)
    return fmt::format("{} {} would be deleted\n", style.paint(Tone::key, "○"),
                       counted(report.versions, "old version"));
  return fmt::format("{} {} deleted; the history takes {}, before it was {}\n",
                     style.paint(Tone::good, "✓"), counted(report.versions, "old version"),
                     size_text(report.after), size_text(report.before));
}

std::string verify_text(const VerifyReport& report, const Style& style) {
  std::string text = findings_text(report.damaged, style, 2);
  const bool sound = report.damaged.empty();
  return text + fmt::format("{} {} and {} checked: {}\n",
                            style.paint(sound ? Tone::good : Tone::bad, sound ? "✓" : "✗"),
                            counted(report.contents, "version"), counted(report.pieces, "piece"),
                            sound ? std::string("all are whole")
                                  : counted(report.damaged.size(), "damaged version"));
}

}  // namespace bayswap::cli
